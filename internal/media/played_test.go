package media_test

import (
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/internal/media"
	"ruvel/testkit"
)

func TestWhatIsPlayedIsTheWAVFileOfItsSamples(t *testing.T) {
	for name, channels := range map[string]int{"mono": 1, "stereo": 2} {
		t.Run(name, func(t *testing.T) {
			pcm := testkit.Noise(channels, 0.5, 3*audio.Second/2, 7)
			file, err := io.ReadAll(media.PlayPCM(pcm))
			require.NoError(t, err)
			back := testkit.ReadAudio(t, testkit.WriteFile(t, "played.wav", file), channels) // by ffmpeg
			require.Equal(t, pcm.Length(), back.Length())
			for c := range pcm {
				for i := range pcm[c] {
					require.InDelta(t, pcm[c][i], back[c][i], 1.0/(1<<15)+1e-4)
				}
			}
			part := media.PlayPCM(pcm)
			_, err = part.Seek(44_101, io.SeekStart)
			require.NoError(t, err)
			rest, err := io.ReadAll(part)
			require.NoError(t, err)
			assert.Equal(t, file[44_101:], rest, "from the middle of a sample on")
		})
	}
}
