package work_test

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"

	"ruvel/internal/work"
)

func TestASoundIsNamedAfterItsFile(t *testing.T) {
	for file, want := range map[string]string{
		"Keeper, take 3.wav": "Keeper, take 3", "wind_on_the_quay.FLAC": "wind on the quay", "../../etc/passwd": "passwd",
		`C:\Sounds\gulls.mp3`: "gulls", ".wav": ".wav", "": "Sound", "a\x00b\n.wav": "ab", "Grüße von der Küste.m4a": "Grüße von der Küste", "\xff.wav": "?",
	} {
		assert.Equal(t, want, work.NameOf(file), "%q", file)
	}
	long := work.NameOf(strings.Repeat("ö", 500) + ".wav")
	assert.Equal(t, 200, utf8.RuneCountInString(long))
}
