package demo

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"math"

	"gocloud.dev/blob"

	"ruvel/core/details"
	"ruvel/internal/pictures"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Artwork draws the picture of the series, a square PNG: a lamp at night over the sea, and its sound going out
// in rings.
func Artwork(side int) ([]byte, error) {
	var (
		night = [3]float64{28, 48, 60}
		dusk  = [3]float64{14, 106, 99}
		sea   = [3]float64{18, 34, 44}
		paper = [3]float64{250, 246, 238}
		lamp  = [3]float64{232, 196, 104}
	)
	mixed := func(a, b [3]float64, t float64) (out [3]float64) {
		t = max(0, min(1, t))
		for i := range out {
			out[i] = a[i] + (b[i]-a[i])*t
		}
		return out
	}
	img := image.NewRGBA(image.Rect(0, 0, side, side))
	for y := range side {
		v := float64(y) / float64(side)
		for x := range side {
			u := float64(x) / float64(side)
			c := mixed(night, dusk, v*1.1)
			away := math.Hypot(u-0.34, v-0.36)
			ring := math.Abs(math.Mod(away, 0.11)-0.055) / 0.055
			if away > 0.08 {
				c = mixed(c, paper, 0.55*math.Max(0, 1-ring*7)*math.Exp(-away*1.4))
			}
			horizon := 0.72 + 0.006*math.Sin(u*31+v*40)
			if v > horizon {
				c = mixed(sea, dusk, 0.35*math.Abs(math.Sin(v*90+math.Sin(u*23)*1.8))*(1-v))
			}
			if half := 0.028 + 0.03*(v-0.4); v > 0.4 && v < 0.8 && math.Abs(u-0.34) < half { // the tower
				c = mixed(paper, night, 0.15+0.5*(u-0.34+half)/(2*half))
				if band := math.Mod(v*14, 2); band < 1 {
					c = mixed(c, [3]float64{138, 63, 95}, 0.85)
				}
			}
			c = mixed(c, lamp, math.Exp(-away*away/0.0016))
			img.SetRGBA(x, y, color.RGBA{uint8(c[0]), uint8(c[1]), uint8(c[2]), 255})
		}
	}
	var out bytes.Buffer
	err := png.Encode(&out, img)
	return out.Bytes(), err
}

// describe says what the series is, with its artwork.
func describe(ctx context.Context, st *store.Store, bucket *blob.Bucket, show string) error {
	drawn, err := Artwork(pictures.Least)
	if err != nil {
		return err
	}
	artwork, err := pictures.Artwork(drawn)
	if err != nil {
		return err
	}
	if _, err := (&work.Pictures{Bucket: bucket, Store: st}).Keep(ctx, show, artwork); err != nil {
		return err
	}
	return st.SetDetails(ctx, show, details.Details{
		Presenter: "Ada Quill", Language: "en-GB", Copyright: "© Harbour Hours. Made up, to be shown.", Keywords: []string{"harbour", "radio", "sea"},
		Artwork: artwork.ID,
	})
}
