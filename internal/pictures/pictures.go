// Package pictures makes artwork of the pictures that people hand in: checked, turned upright, cropped to a
// square, scaled to what feeds ask for, and written anew as JPEG, so that nothing of what a stranger's file hid in
// it is handed on.
package pictures

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	_ "image/png" // PNG is one of the two forms that are read

	"github.com/disintegration/imaging"

	"ruvel/core/problem"
)

// What a feed asks of artwork: a square of 1400 to 3000 pixels, as JPEG or PNG (common practice).
const (
	Least = 1400
	Most  = 3000
	// leastOfChapter and mostOfChapter are those of the picture of a chapter, which is shown smaller.
	leastOfChapter = 300
	mostOfChapter  = 1400
)

// Bounds of what is read: a file, and the points that it unfolds to.
const (
	MostBytes  = 20 << 20
	mostPoints = 80 << 20
	mostUnfold = 256 << 20 // bytes of all points together, while one is made ready
)

// bytesOf is how many bytes each point takes while a picture is made ready: as it is read, and, where that is not it, as it is worked on.
func bytesOf(of color.Model) int {
	switch of {
	case color.GrayModel, color.YCbCrModel, color.NRGBAModel, color.RGBAModel: // a photo is worked on line by line
		return 4
	case color.RGBA64Model, color.NRGBA64Model: // a copy of four bytes besides
		return 12
	}
	return 8
}

// Picture is one that is ready to be written into files.
type Picture struct {
	ID   string // SHA-256 of its bytes
	Type string
	Data []byte
	Size int // of each side, in pixels
	Note string
}

// Artwork makes the artwork of an episode or a show of a picture.
func Artwork(file []byte) (Picture, error) { return square(file, Least, Most) }

// OfChapter makes the picture of a chapter.
func OfChapter(file []byte) (Picture, error) { return square(file, leastOfChapter, mostOfChapter) }

// Ready is a picture that has been made ready before, as it is. One that Ruvel would not have made is refused.
func Ready(file []byte) (p Picture, err error) {
	refused := problem.New("broken-picture", "picture", "A picture is not one that Ruvel has made ready, or it is damaged.")
	config, format, err := image.DecodeConfig(bytes.NewReader(file))
	if err != nil || len(file) > MostBytes || format != "jpeg" || config.Width != config.Height || config.Width < leastOfChapter || config.Width > Most {
		return p, refused
	}
	if _, err := jpeg.Decode(bytes.NewReader(file)); err != nil {
		return p, refused
	}
	sum := sha256.Sum256(file)
	return Picture{ID: hex.EncodeToString(sum[:]), Type: "image/jpeg", Data: file, Size: config.Width}, nil
}

func square(file []byte, least, most int) (p Picture, err error) {
	if len(file) > MostBytes {
		return p, problem.New("picture-too-large", "picture", "The picture has %d MB; it may have %d. Save it smaller, as JPEG.", len(file)>>20, MostBytes>>20)
	}
	config, format, err := image.DecodeConfig(bytes.NewReader(file))
	switch {
	case errors.Is(err, image.ErrFormat) || err == nil && format != "jpeg" && format != "png":
		return p, problem.New("no-picture", "picture", "This is not a picture that can be used: artwork is a JPEG or a PNG.")
	case err != nil:
		return p, problem.New("broken-picture", "picture", "The picture is damaged and cannot be read. Save it once more from where it came from.")
	}
	width, height := config.Width, config.Height
	if width > 1<<15 || height > 1<<15 || width*height > mostPoints || width*height*bytesOf(config.ColorModel) > mostUnfold {
		return p, problem.New("picture-too-large", "picture", "The picture has %d × %d pixels, which is more than Ruvel unfolds. Scale it to %d × %d.", width, height, most, most)
	}
	if min(width, height) < least {
		return p, problem.New("picture-too-small", "picture", "The picture has %d × %d pixels; each side needs at least %d. Use a larger one.", width, height, least)
	}
	decoded, err := imaging.Decode(bytes.NewReader(file), imaging.AutoOrientation(true))
	if err != nil {
		return p, problem.New("broken-picture", "picture", "The picture is damaged and cannot be read. Save it once more from where it came from.")
	}
	side := min(width, height, most)
	out := onPaper(imaging.Fill(decoded, side, side, imaging.Center, imaging.Lanczos))
	var data bytes.Buffer
	if err := jpeg.Encode(&data, out, &jpeg.Options{Quality: 88}); err != nil {
		return p, err
	}
	sum := sha256.Sum256(data.Bytes())
	p = Picture{ID: hex.EncodeToString(sum[:]), Type: "image/jpeg", Data: data.Bytes(), Size: side}
	if width != height {
		p.Note = "cropped to a square"
	}
	if min(width, height) > most {
		if p.Note != "" {
			p.Note += " and "
		}
		p.Note += "scaled down"
	}
	return p, nil
}

// onPaper lays what can be seen through on white.
func onPaper(from image.Image) image.Image {
	out := image.NewRGBA(from.Bounds())
	draw.Draw(out, out.Bounds(), image.NewUniform(color.White), image.Point{}, draw.Src)
	draw.Draw(out, out.Bounds(), from, from.Bounds().Min, draw.Over)
	return out
}

// Scaled is a picture that was made ready, with so many pixels on each side.
func Scaled(ready []byte, size int) ([]byte, error) {
	from, err := jpeg.Decode(bytes.NewReader(ready))
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = jpeg.Encode(&out, imaging.Resize(from, size, size, imaging.Lanczos), &jpeg.Options{Quality: 85})
	return out.Bytes(), err
}
