package pictures_test

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/problem"
	"ruvel/internal/pictures"
	"ruvel/testkit"
)

// halves is red on the left and blue on the right.
func halves(width, height int) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			c := color.RGBA{200, 20, 20, 255}
			if x >= width/2 {
				c = color.RGBA{20, 20, 200, 255}
			}
			img.SetRGBA(x, y, c)
		}
	}
	return img
}

func asPNG(t testing.TB, img image.Image) []byte {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, png.Encode(&out, img))
	return out.Bytes()
}

func asJPEG(t testing.TB, img image.Image) []byte {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, jpeg.Encode(&out, img, nil))
	return out.Bytes()
}

func shown(t *testing.T, p pictures.Picture) image.Image {
	t.Helper()
	img, format, err := image.Decode(bytes.NewReader(p.Data))
	require.NoError(t, err)
	require.Equal(t, "jpeg", format)
	require.Equal(t, image.Pt(p.Size, p.Size), img.Bounds().Size())
	return img
}

func red(c color.Color) bool { r, _, b, _ := c.RGBA(); return r > 2*b }

func TestAPictureBecomesASquareOfTheSizeThatFeedsAskFor(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		width, height, side int
		note                string
	}{
		{1400, 1400, 1400, ""},
		{1600, 1400, 1400, "cropped to a square"},
		{3200, 3200, 3000, "scaled down"},
		{1500, 4000, 1500, "cropped to a square"},
		{3100, 3300, 3000, "cropped to a square and scaled down"},
	} {
		p, err := pictures.Artwork(asJPEG(t, halves(c.width, c.height)))
		require.NoError(t, err)
		assert.Equal(t, c.side, p.Size)
		assert.Equal(t, c.note, p.Note)
		img := shown(t, p)
		assert.True(t, red(img.At(10, c.side/2)), "the middle is kept")
		assert.False(t, red(img.At(c.side-10, c.side/2)))
	}
}

func TestAPictureThatACameraHasTurnedStandsUpright(t *testing.T) {
	t.Parallel()
	// EXIF 2.32: orientation 6 is turned by a right angle; the left side is on top then.
	plain := asJPEG(t, halves(1400, 1400))
	exif := []byte("Exif\x00\x00MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00\x06\x00\x00\x00\x00\x00\x00")
	segment := append(binary.BigEndian.AppendUint16([]byte{0xff, 0xe1}, uint16(len(exif)+2)), exif...)
	p, err := pictures.Artwork(append(append(append([]byte{}, plain[:2]...), segment...), plain[2:]...))
	require.NoError(t, err)
	img := shown(t, p)
	assert.True(t, red(img.At(700, 10)))
	assert.False(t, red(img.At(700, 1390)))
	assert.NotContains(t, string(p.Data), "Exif", "nothing of what the file hid is handed on")
}

func TestWhatCanBeSeenThroughIsLaidOnWhiteAndPrintColoursAreRead(t *testing.T) {
	t.Parallel()
	p, err := pictures.Artwork(asPNG(t, image.NewNRGBA(image.Rect(0, 0, 1400, 1400))))
	require.NoError(t, err)
	r, g, b, _ := shown(t, p).At(700, 700).RGBA()
	assert.Greater(t, min(r, g, b), uint32(65000))

	p, err = pictures.Artwork(read(t, "testdata/red-in-four-colours.jpg")) // magenta and yellow, as for print
	require.NoError(t, err)
	assert.True(t, red(shown(t, p).At(700, 700)))
}

func TestWhatIsNoPictureOrTooSmallOrTooLargeIsRefusedInWords(t *testing.T) {
	t.Parallel()
	var moving bytes.Buffer
	frame := image.NewPaletted(image.Rect(0, 0, 1400, 1400), color.Palette{color.Black, color.White})
	require.NoError(t, gif.EncodeAll(&moving, &gif.GIF{Image: []*image.Paletted{frame, frame}, Delay: []int{10, 10}}))
	good := asPNG(t, halves(1400, 1400))
	for code, file := range map[string][]byte{
		"no-picture":        []byte("This is not a picture at all."),
		"picture-too-small": asPNG(t, halves(1399, 2000)),
		"broken-picture":    good[:len(good)/2],
		"picture-too-large": bomb(60000, 60000),
	} {
		_, err := pictures.Artwork(file)
		var p problem.Problem
		require.ErrorAs(t, err, &p, code)
		assert.Equal(t, code, p.Code)
	}
	for _, file := range [][]byte{moving.Bytes(), nil, []byte("<svg xmlns='http://www.w3.org/2000/svg'/>"), []byte("RIFF\x00\x00\x00\x00WEBPVP8 ")} {
		_, err := pictures.Artwork(file)
		require.ErrorContains(t, err, "JPEG or a PNG")
	}
	_, err := pictures.Artwork(make([]byte, pictures.MostBytes+1))
	require.ErrorContains(t, err, "MB")
	_, err = pictures.OfChapter(asPNG(t, halves(300, 400)))
	require.NoError(t, err, "that of a chapter may be smaller")
}

// bomb is a small PNG that says it is large.
func bomb(width, height uint32) []byte {
	head := binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32([]byte("IHDR"), width), height)
	head = append(head, 8, 2, 0, 0, 0)
	out := append([]byte("\x89PNG\r\n\x1a\n"), binary.BigEndian.AppendUint32(nil, 13)...)
	return binary.BigEndian.AppendUint32(append(out, head...), crc32.ChecksumIEEE(head))
}

// An animated PNG is a PNG with more pictures in it; the first one stands for all.
func TestOfAnAnimatedPictureTheFirstOneIsTaken(t *testing.T) {
	t.Parallel()
	out := filepath.Join(t.TempDir(), "moving.png")
	testkit.RunFFmpeg(t, nil, "-v", "error", "-f", "lavfi", "-i", "testsrc=s=1400x1400:r=2:d=1.5", "-f", "apng", "-plays", "0", out)
	data := read(t, out)
	require.True(t, strings.Contains(string(data), "acTL"))
	p, err := pictures.Artwork(data)
	require.NoError(t, err)
	assert.Equal(t, 1400, p.Size)
}

func FuzzPictures(f *testing.F) {
	f.Add([]byte("\x89PNG\r\n\x1a\n"))
	f.Add(bomb(20, 20))
	f.Add(asJPEG(f, halves(8, 8)))
	f.Fuzz(func(t *testing.T, data []byte) {
		if p, err := pictures.OfChapter(data); err == nil && (p.Size < 300 || len(p.Data) == 0) {
			t.Fatalf("%d pixels in %d bytes", p.Size, len(p.Data))
		}
	})
}

func TestAPictureOfDeepColoursIsBoundedByWhatItUnfoldsTo(t *testing.T) {
	deep := image.NewNRGBA64(image.Rect(0, 0, 8000, 8000)) // all alike: some kB as a file, half a GB unfolded
	var file bytes.Buffer
	fast := png.Encoder{CompressionLevel: png.BestSpeed}
	require.NoError(t, fast.Encode(&file, deep))
	require.Less(t, file.Len(), 8<<20)
	var before, after runtime.MemStats
	deep = nil
	runtime.GC()
	runtime.ReadMemStats(&before)
	_, err := pictures.Artwork(file.Bytes())
	runtime.ReadMemStats(&after)
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "picture-too-large", p.Code)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(16<<20), "it was not unfolded")
	file.Reset()
	require.NoError(t, png.Encode(&file, image.NewNRGBA64(image.Rect(0, 0, 2000, 2000))))
	_, err = pictures.Artwork(file.Bytes())
	assert.NoError(t, err, "one of a sensible size can be used")
}

func TestAPictureIsMadeAsSmallAsItIsShown(t *testing.T) {
	ready, err := pictures.Artwork(asPNG(t, halves(2000, 2000)))
	require.NoError(t, err)
	small, err := pictures.Scaled(ready.Data, 336)
	require.NoError(t, err)
	config, format, err := image.DecodeConfig(bytes.NewReader(small))
	require.NoError(t, err)
	assert.Equal(t, []any{336, 336, "jpeg"}, []any{config.Width, config.Height, format})
	assert.Less(t, len(small), 40<<10)
	_, err = pictures.Scaled([]byte("no picture"), 336)
	require.Error(t, err)
}
