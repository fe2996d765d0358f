package session_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"ruvel/core/session"
)

func TestALongNameIsCutInOneGo(t *testing.T) {
	begun := time.Now()
	assert.Equal(t, strings.Repeat("ä", 200), session.ShortName(strings.Repeat("ä", 1<<20)))
	assert.Less(t, time.Since(begun), time.Second)
	assert.Equal(t, "Fog at four", session.ShortName(" Fog\nat\x00four\r\n"), "it is one line")
}
