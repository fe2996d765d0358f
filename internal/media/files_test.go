package media_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/core/problem"
	"ruvel/internal/media"
	"ruvel/testkit"
)

// spoken is something like speech over music: a tone that swells, and noise under it.
func spoken(channels int, length audio.Frames) audio.PCM {
	out := testkit.Noise(channels, 0.02, length, 3)
	for c := range out {
		for i := range out[c] {
			at := float64(i) / audio.Rate
			out[c][i] += float32(0.4 * math.Sin(2*math.Pi*440*at) * (0.6 + 0.4*math.Sin(2*math.Pi*0.7*at+float64(c))))
		}
	}
	return out
}

// by decodes a file with a program that is not ffmpeg to a WAV file.
func by(t *testing.T, path string) string {
	t.Helper()
	out := filepath.Join(t.TempDir(), "second.wav")
	var cmd *exec.Cmd
	switch filepath.Ext(path) {
	case ".flac":
		cmd = exec.Command("flac", "-s", "-d", "-o", out, path)
	case ".opus":
		cmd = exec.Command("opusdec", "--quiet", "--rate", "48000", "--no-dither", path, out)
	case ".ogg":
		cmd = exec.Command("oggdec", "-Q", "-b", "16", "-o", out, path)
	case ".mp3":
		cmd = exec.Command("mpg123", "-q", "-w", out, path)
	default:
		cmd = exec.Command("sox", "-D", path, out)
	}
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", said)
	return out
}

// read reads a WAV file that a decoder has written, of whole numbers or of 32 bit float.
func read(t *testing.T, path string) (pcm audio.PCM, rate int) {
	t.Helper()
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	require.Equal(t, "RIFFWAVE", string(data[:4])+string(data[8:12]))
	var channels, bits int
	for at := 12; at+8 <= len(data); {
		size := int(binary.LittleEndian.Uint32(data[at+4:]))
		body := data[at+8 : min(at+8+size, len(data))]
		switch string(data[at : at+4]) {
		case "fmt ":
			channels, rate, bits = int(body[2]), int(binary.LittleEndian.Uint32(body[4:])), int(body[14])
		case "data":
			pcm = audio.NewPCM(channels, audio.Frames(len(body)/(channels*bits/8)))
			for i := range len(body) / (bits / 8) {
				var four [4]byte // the sample, its highest bits last
				copy(four[4-bits/8:], body[i*bits/8:(i+1)*bits/8])
				whole := binary.LittleEndian.Uint32(four[:])
				v := float32(float64(int32(whole)) / (1 << 31))
				if bits == 32 {
					v = math.Float32frombits(whole)
				}
				pcm[i%channels][i/channels] = v
			}
		}
		at += 8 + size + size%2
	}
	return pcm, rate
}

// levels are those of each second, in dBFS, of all channels together.
func levels(pcm audio.PCM, rate int) (out []float64) {
	second := audio.Frames(rate)
	for at := audio.Frames(0); at+second <= pcm.Length(); at += second {
		var sum float64
		for _, channel := range pcm.Slice(at, at+second) {
			for _, v := range channel {
				sum += float64(v) * float64(v)
			}
		}
		out = append(out, 10*math.Log10(sum/float64(len(pcm))/float64(rate)))
	}
	return out
}

func TestEveryFormatRateAndQualityKeepsLengthAndLevelForTwoDecoders(t *testing.T) {
	t.Parallel()
	const length = 2*audio.Second + 1234
	for _, f := range media.Formats() {
		if f.Stems {
			continue
		}
		qualities := []media.Quality{{}}
		if len(f.Qualities) > 0 {
			qualities = f.Qualities
		}
		for n, q := range qualities {
			for k, rate := range f.Rates {
				for channels := 1; channels <= 2; channels++ {
					if len(qualities) > 1 && (n+k+channels)%2 == 0 {
						continue // so that there is each quality at each rate, and each rate with each number of channels
					}
					t.Run(fmt.Sprintf("%s %s %d Hz %d", f.Key, q.Key, rate, channels), func(t *testing.T) {
						t.Parallel()
						set, err := media.Set(f.Key, q.Key, rate, channels)
						require.NoError(t, err)
						pcm := spoken(channels, length)
						path := writeAs(t, set, media.Label{}, pcm)
						files := []string{path}
						if f.Key != "m4a" { // no other program in Debian decodes AAC without ffmpeg's library
							files = append(files, by(t, path))
						}
						for i, file := range files {
							var back audio.PCM
							var is int // the rate of what was decoded: ours gives 48 kHz, others that of the file
							if i == 0 {
								info, pcm, err := decode(file)
								require.NoError(t, err)
								require.Equal(t, rate, info.Rate)
								back, is = pcm, audio.Rate
							} else {
								back, is = read(t, file)
								require.Equal(t, rate, is)
							}
							require.Len(t, back, channels)
							exact := audio.Frames(2)
							if rate == audio.Rate && f.Key != "m4a" {
								exact = 0
							}
							if f.Key == "m4a" {
								exact = 2048 // the codec ends on a whole packet, of 1024 samples
							}
							assert.InDelta(t, float64(length), float64(back.Length())*audio.Rate/float64(is), float64(exact), "decoder %d", i+1)
							here, there := levels(pcm, audio.Rate), levels(back, is)
							require.Len(t, there, len(here))
							for k := range here {
								assert.InDelta(t, here[k], there[k], 0.1, "decoder %d, second %d", i+1, k)
							}
							if !f.Lossy && rate == audio.Rate && i == 0 {
								step := map[int]float64{16: 2.0 / (1 << 15), 24: 1.0 / (1 << 23), 32: 0}[bitsOf(f.Key)]
								assert.LessOrEqual(t, testkit.MaxDifference(t, pcm, back), step)
							}
						}
					})
				}
			}
		}
	}
}

func bitsOf(key string) int {
	switch {
	case strings.HasSuffix(key, "16"):
		return 16
	case strings.HasSuffix(key, "32f"):
		return 32
	}
	return 24
}

func TestAnMP3InPiecesIsByteForByteThatOfOnePiece(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		quality        string
		rate, channels int
		turned         float64
		args           []string
	}{
		{"high", 48000, 2, 0.97, []string{"-b:a", "192k"}},
		{"usual", 44100, 2, 0.95, []string{"-b:a", "128k"}},
		{"small", 48000, 1, 0.95, []string{"-b:a", "56k"}},
		{"varying", 48000, 2, 1, []string{"-q:a", "2"}},
	} {
		t.Run(c.quality, func(t *testing.T) {
			t.Parallel()
			set, err := media.Set("mp3", c.quality, c.rate, c.channels)
			require.NoError(t, err)
			// Loud and soft for longer than a piece, and silence around a join: what an encoder remembers would show.
			pcm := spoken(c.channels, 38*audio.Second)
			for ch := range pcm {
				for i := range pcm[ch] {
					switch second := i / int(audio.Second); {
					case second >= 10 && second < 13:
						pcm[ch][i] = 0
					case second > 20 && second < 32:
						pcm[ch][i] *= 0.01
					}
				}
			}
			input := filepath.Join(t.TempDir(), "whole.f32")
			require.NoError(t, os.WriteFile(input, testkit.Interleave(pcm), 0o600))
			theirs, _ := testkit.RunFFmpeg(t, nil, append(append([]string{
				"-v", "error", "-f", "f32le", "-ar", "48000", "-ac", fmt.Sprint(c.channels), "-i", input,
				"-af", fmt.Sprintf("aresample=%d:filter_size=64:cutoff=0.97:filter_type=kaiser:kaiser_beta=12,volume=%.9f:precision=float", c.rate, 1/c.turned),
				"-c:a", "libmp3lame",
			}, c.args...), "-reservoir", "0", "-write_xing", "0", "-id3v2_version", "0", "-f", "mp3", "pipe:1")...)
			for cut, known := range map[string]*media.Pieces{"twelve seconds": media.ShortPieces(10), "one for each core": {Length: pcm.Length()}} {
				ours, err := os.ReadFile(writeKnowing(t, set, media.Label{}, pcm, known))
				require.NoError(t, err)
				first := len(ours) - len(theirs)
				require.Positive(t, first, cut)
				assert.Less(t, first, 1200, "one frame more, which tells the length")
				assert.True(t, string(ours[first:]) == string(theirs), "the frames are the same in pieces of %s", cut)
			}
		})
	}
}

// picture is a JPEG of one colour.
func picture(t *testing.T, side int, c color.Color) media.Picture {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, side, side))
	for y := range side {
		for x := range side {
			img.Set(x, y, c)
		}
	}
	f, err := os.Create(filepath.Join(t.TempDir(), "p.jpg"))
	require.NoError(t, err)
	require.NoError(t, jpeg.Encode(f, img, nil))
	require.NoError(t, f.Close())
	data, err := os.ReadFile(f.Name())
	require.NoError(t, err)
	return media.Picture{Type: "image/jpeg", Data: data, Width: side, Height: side}
}

// labels are such as are written into files, and made to break them.
func labels(t *testing.T) map[string]media.Label {
	t.Helper()
	cover, second := picture(t, 64, color.RGBA{10, 100, 90, 255}), picture(t, 32, color.RGBA{140, 60, 90, 255})
	make := func(title string) media.Label {
		l := media.Label{Pictures: map[string]media.Picture{"cover": cover, "second": second}}
		l.Show, l.Title, l.Number, l.Season = "Harbour Hours", title, 12, 3
		l.Presenter, l.Guests, l.Date, l.Language = "Ada Quill", []string{"Odd Marlow", "Ines Sund"}, "2026-11-30", "en-GB"
		l.Description, l.Keywords, l.Copyright = "What it is about.\nTwo lines; with = and # and \\ in them.", []string{"sea", "fog"}, "© Harbour Hours"
		l.Credits, l.Artwork = "“Theme” by the house band", "cover"
		l.Chapters = []details.Chapter{
			{At: 0, End: 12000, Title: "Opening"},
			{At: 12000, End: 30000, Title: title, Link: "https://example.org/a?b=c&d=%20e", Picture: "second"},
			{At: 30000, End: 48000, Title: "Последняя глава"},
		}
		return l
	}
	return map[string]media.Label{
		"Greek":  make("Το τελευταίο σήμα"),
		"many":   make("The Last Fog Signal, إشارة الضباب الأخيرة, 最后的雾号, कोहरे का आख़िरी संकेत, Fog 🌫️ signal"),
		"quotes": make(`"Fog" 'signal' \ ; = # [CHAPTER]`), "long": make(strings.Repeat("ä", 300)),
	}
}

// probe is what ffprobe reads of a file.
type probe struct {
	Chapters []struct {
		Start string            `json:"start_time"`
		End   string            `json:"end_time"`
		Tags  map[string]string `json:"tags"`
	} `json:"chapters"`
	Streams []struct {
		Type string            `json:"codec_type"`
		Name string            `json:"codec_name"`
		Tags map[string]string `json:"tags"`
	} `json:"streams"`
	Format struct {
		Tags map[string]string `json:"tags"`
	} `json:"format"`
}

func probed(t *testing.T, path string) (p probe, tags map[string]string) {
	t.Helper()
	out, err := exec.Command("ffprobe", "-v", "error", "-show_format", "-show_streams", "-show_chapters", "-of", "json", path).Output()
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(out, &p))
	tags = map[string]string{}
	all := []map[string]string{p.Format.Tags}
	for _, s := range p.Streams {
		if s.Type == "audio" {
			all = append(all, s.Tags)
		}
	}
	for _, from := range all {
		for k, v := range from {
			tags[strings.ToLower(k)] = v
		}
	}
	return p, tags
}

// second is what another reader finds: mutagen, or for WAV exiftool.
func second(t *testing.T, path string) string {
	t.Helper()
	cmd := exec.Command("mutagen-inspect", path)
	if filepath.Ext(path) == ".wav" {
		cmd = exec.Command("exiftool", "-a", "-charset", "riff=utf8", "-charset", "utf8", "-G0", "-s", path)
	}
	cmd.Env = append(os.Environ(), "PYTHONIOENCODING=utf-8", "LC_ALL=C.UTF-8")
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	return string(out)
}

func TestWhatIsSaidOfAFileIsReadBackByTwoReaders(t *testing.T) {
	t.Parallel()
	pcm := spoken(2, audio.Second)
	for _, key := range []string{"mp3", "m4a", "ogg", "opus", "flac", "wav-24", "bwf"} {
		for name, l := range labels(t) {
			t.Run(key+" "+name, func(t *testing.T) {
				t.Parallel()
				set, err := media.Set(key, "", 0, 2)
				require.NoError(t, err)
				path := writeAs(t, set, l, pcm)
				p, tags := probed(t, path)
				assert.Equal(t, l.Title, tags["title"])
				assert.Equal(t, l.Presenter, tags["artist"])
				assert.Contains(t, tags["copyright"], "Harbour Hours")
				assert.Contains(t, tags["date"], "2026")
				about := tags["comment"]
				if d := tags["description"]; d != "" {
					about = d
				}
				if key != "bwf" { // whose own description stands for it there
					assert.Contains(t, strings.ReplaceAll(about, "\r", ""), l.Description)
				}
				other := second(t, path)
				if name != "quotes" && name != "long" {
					assert.Contains(t, other, l.Title)
				}
				assert.Contains(t, other, "Ada Quill")
				if strings.HasPrefix(key, "wav") || key == "bwf" {
					return // their markers have no titles that ffprobe reads
				}
				require.Len(t, p.Chapters, 3)
				for i, c := range l.Chapters {
					title := p.Chapters[i].Tags["title"]
					assert.True(t, title == c.Title || key == "m4a" && len(title) > 250 && strings.HasPrefix(c.Title, title), title)
					assert.InDelta(t, c.At.Seconds(), number(t, p.Chapters[i].Start), 0.0011)
				}
				pictures := 0
				for _, s := range p.Streams {
					if s.Type == "video" && s.Name == "mjpeg" {
						pictures++
					}
				}
				assert.Positive(t, pictures, "the artwork")
				switch key {
				case "mp3":
					assert.Contains(t, other, "CTOC=")
					assert.Equal(t, 3, strings.Count(other, "CHAP="))
					assert.Contains(t, other, "https://example.org/a?b=c&d=%20e")
					assert.Contains(t, other, "APIC=cover front")
					assert.Contains(t, other, "KEYWORDS=sea, fog")
				case "ogg", "opus", "flac":
					assert.Contains(t, strings.ToLower(other), "chapter002url=https://example.org/a?b=c&d=%20e")
					assert.Contains(t, strings.ToLower(other), "guests=odd marlow, ines sund")
				case "m4a":
					assert.Contains(t, other, "covr=")
					assert.Contains(t, other, "aART=")
				}
			})
		}
	}
}

func number(t *testing.T, text string) (f float64) {
	t.Helper()
	_, err := fmt.Sscan(text, &f)
	require.NoError(t, err)
	return f
}

// EBU Tech 3285: the places of the fields, from its table (values from memory, read back by exiftool).
func TestABroadcastFileHasItsExtensionWithItsLoudness(t *testing.T) {
	t.Parallel()
	set, err := media.Set("bwf", "", 44100, 2)
	require.NoError(t, err)
	l := labels(t)["Greek"]
	l.Origin = 96000
	path := writeAs(t, set, l, spoken(2, audio.Second))
	r := loudness.Result{Integrated: -23.04, Range: 4.25, TruePeak: -1.5, MaxMomentary: -18.2, MaxShortTerm: -20.96}
	require.NoError(t, media.WriteLoudness(path, r))
	out := second(t, path)
	for _, line := range []string{"Originator", "Ruvel", "TimeReference", "88200", "BWFVersion", "CodingHistory", "A=PCM,F=44100,W=24,M=stereo,T=Ruvel", "2026:11:30"} {
		assert.Contains(t, out, line)
	}
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	at := strings.Index(string(data[:200]), "bext") + 8
	for i, want := range []int16{-2304, 425, -150, -1820, -2096} {
		assert.Equal(t, want, int16(binary.LittleEndian.Uint16(data[at+412+2*i:])), "field %d", i)
	}
	assert.Equal(t, uint16(2), binary.LittleEndian.Uint16(data[at+346:]))
	require.NoError(t, media.WriteLoudness(path, loudness.Result{Integrated: -120, TruePeak: -120, MaxMomentary: -120, MaxShortTerm: -120}))
	data, err = os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, uint16(0x7FFF), binary.LittleEndian.Uint16(data[at+412:]), "silence has no loudness")
	back := testkit.ReadAudio(t, path, 2)
	assert.InDelta(t, int64(audio.Second), int64(back.Length()), 1)
}

func TestAWAVBeyondFourGibibytesIsRF64(t *testing.T) {
	t.Parallel()
	set, err := media.Set("bwf", "", 0, 2)
	require.NoError(t, err)
	pcm := spoken(2, 3*audio.Second)
	path := filepath.Join(t.TempDir(), "long.wav")
	sink, err := media.CreateWAVOfAtMost(path, set, labels(t)["many"], 100_000)
	require.NoError(t, err)
	require.NoError(t, sink.Write(pcm))
	require.NoError(t, sink.Close())
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "RF64", string(data[:4]))
	assert.Equal(t, "ds64", string(data[12:16]))
	assert.Equal(t, uint64(len(data)-8), binary.LittleEndian.Uint64(data[20:]))
	back := testkit.ReadAudio(t, path, 2)
	assert.LessOrEqual(t, testkit.MaxDifference(t, pcm, back), 1.0/(1<<23), "ffmpeg reads it")
	sox := by(t, path)
	assert.Equal(t, 3*audio.Second, testkit.ReadAudio(t, sox, 2).Length(), "and so does sox")
}

func TestSettingsThatAreNotThereAreRefused(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		format, quality string
		rate, channels  int
		code            string
	}{
		{"tape", "", 0, 0, "unknown-format"},
		{"mp3", "golden", 0, 0, "unknown-quality"},
		{"opus", "", 44100, 0, "unknown-rate"},
		{"wav-24", "high", 0, 0, "unknown-quality"},
		{"flac", "", 0, 6, "unknown-channels"},
	} {
		_, err := media.Set(c.format, c.quality, c.rate, c.channels)
		var p problem.Problem
		require.ErrorAs(t, err, &p, c.code)
		assert.Equal(t, c.code, p.Code)
	}
}

func TestAnMP3KnowsHowItIsHeardAndPiecesThatStayAreNotEncodedAgain(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		rate, channels int
		most           int64
	}{{48000, 2, 4}, {44100, 1, 4}, {48000, 1, 3}, {44100, 2, 4}} {
		set, err := media.Set("mp3", "usual", c.rate, c.channels)
		require.NoError(t, err)
		pcm := spoken(c.channels, 19*audio.Second+333)
		known := media.ShortPieces(c.most)
		known.Loud = 0 // every peak is of interest
		for range 2 {
			path := filepath.Join(t.TempDir(), "out.mp3")
			sink, err := media.Create(ctx, path, set, media.Label{}, known)
			require.NoError(t, err)
			for at := audio.Frames(0); at < pcm.Length(); at += audio.Second {
				require.NoError(t, sink.Write(pcm.Slice(at, min(at+audio.Second, pcm.Length()))))
			}
			require.NoError(t, sink.Close())
			got := sink.(media.Heard).Course()
			_, back, err := decode(path)
			require.NoError(t, err)
			want := loudness.Measure(back)
			assert.InDelta(t, int64(want.Length), int64(got.Length), 1)
			assert.InDelta(t, want.Integrated, got.Loudness().Integrated, 0.002)
			assert.InDelta(t, want.TruePeak, got.Loudness().TruePeak, 0.01)
			assert.InDelta(t, want.Range, got.Loudness().Range, 0.01)
			whole := master.NewListener(c.channels, 1)
			whole.Write(back)
			assert.InDeltaSlice(t, whole.Course().Powers, got.Powers, 1e-7, "each tenth of a second is where it is in the file")
			pcm[0][0] += 0.1 // the first piece is another one
		}
		assert.Greater(t, known.Count(), 4)
		assert.Less(t, known.Count(), 9, "all pieces, and the first one or two once more")
	}
}

func TestSamplesThatAreKeptAsTheyAreAreHeardAsADecoderGivesThem(t *testing.T) {
	t.Parallel()
	for _, f := range media.Formats() {
		for channels := 1; channels <= 2; channels++ {
			set, err := media.Set(f.Key, "", 0, channels)
			require.NoError(t, err)
			if f.Lossy || f.Stems {
				continue
			}
			require.True(t, set.Heard(), f.Key)
			path := filepath.Join(t.TempDir(), "out."+f.Extension)
			known := &media.Pieces{Loud: 0.1}
			sink, err := media.Create(ctx, path, set, media.Label{}, known)
			require.NoError(t, err)
			pcm := testkit.Join(spoken(channels, 3*audio.Second+77), testkit.Constant(channels, 1.2, 4000)) // and beyond full scale
			for at := audio.Frames(0); at < pcm.Length(); at += audio.Second / 2 {
				require.NoError(t, sink.Write(pcm.Slice(at, min(at+audio.Second/2, pcm.Length()))))
			}
			require.NoError(t, sink.Close())
			_, back, err := decode(path)
			require.NoError(t, err)
			want := master.NewListener(channels, known.Loud)
			want.Write(back)
			assert.Equal(t, want.Course(), sink.(media.Heard).Course(), f.Key)
		}
		elsewhere, err := media.Set(f.Key, "", 44100, 2)
		assert.False(t, err == nil && !f.Lossy && elsewhere.Heard(), "%s at another rate is read back", f.Key)
	}
}

func TestAChapterJustBeforeAMinuteIsAtTheMinute(t *testing.T) {
	l := media.Label{}
	l.Chapters = []details.Chapter{{At: 60*audio.Second - 1, End: 70 * audio.Second, Title: "One"}, {At: 3600*audio.Second - 20, End: 3700 * audio.Second, Title: "Two"}}
	said := strings.Join(l.Comments(), "\n")
	assert.Contains(t, said, "00:01:00.000")
	assert.Contains(t, said, "01:00:00.000")
	assert.NotContains(t, said, "60.000")
}

// The edit list is all that some players read of a length; ISO/IEC 14496-12, 8.6.6.
func TestTheEditListOfM4ASaysTheLengthToTheFrame(t *testing.T) {
	for _, rate := range []int{48000, 44100} {
		set, err := media.Set("m4a", "usual", rate, 1)
		require.NoError(t, err)
		l := media.Label{}
		l.Title, l.Language, l.Guests, l.Description = "Fog", "nb-NO", []string{"Odd Marlow", "Ines Sund"}, "Of fog."
		pcm := testkit.Sine(1, 440, -20, 0, 61237)
		path := writeAs(t, set, l, pcm)
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		at := bytes.Index(data, []byte("elst"))
		require.Positive(t, at)
		length := binary.BigEndian.Uint32(data[at+12:])
		at = bytes.Index(data, []byte("mvhd"))
		require.EqualValues(t, rate, binary.BigEndian.Uint32(data[at+16:]), "counted in frames")
		assert.InDelta(t, float64(61237)*float64(rate)/48000, float64(length), 1.01)
		p, tags := probed(t, path)
		assert.Equal(t, "nob", p.Streams[0].Tags["language"])
		assert.Contains(t, tags["description"], "With Odd Marlow, Ines Sund.")
	}
}

// RFC 3533: the serial number tells streams apart.
func TestTheSerialOfAnOggStreamIsItsOwn(t *testing.T) {
	serial := func(format, title string) uint32 {
		set, err := media.Set(format, "usual", 48000, 1)
		require.NoError(t, err)
		l := media.Label{}
		l.Title = title
		data, err := os.ReadFile(writeAs(t, set, l, testkit.Sine(1, 440, -20, 0, 9600)))
		require.NoError(t, err)
		require.Equal(t, "OggS", string(data[:4]))
		return binary.LittleEndian.Uint32(data[14:])
	}
	for _, format := range []string{"opus", "ogg"} {
		one := serial(format, "One")
		assert.NotZero(t, one)
		assert.Equal(t, one, serial(format, "One"), "the same file is the same bytes")
		assert.NotEqual(t, one, serial(format, "Two"))
	}
}

func TestAWAVFileSaysWhatItIsInUTF8BesidesINFO(t *testing.T) {
	for name, l := range labels(t) {
		set, err := media.Set("wav-24", "", 48000, 2)
		require.NoError(t, err)
		data, err := os.ReadFile(writeAs(t, set, l, spoken(2, audio.Second)))
		require.NoError(t, err)
		at := bytes.Index(data, []byte("iXML"))
		require.Positive(t, at)
		var told struct {
			Project string `xml:"PROJECT"`
			Title   string `xml:"USER>FULL_TITLE"`
		}
		require.NoError(t, xml.Unmarshal(data[at+8:at+8+int(binary.LittleEndian.Uint32(data[at+4:]))], &told), name)
		assert.Equal(t, []string{l.Show, l.Title}, []string{told.Project, told.Title})
	}
}
