package main

import (
	"bytes"
	"io"
	"net"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A minute of what ./cluster/try does for ten: the same members, the same people, and one after the other of what can go wrong.
func TestAMinuteInWhichOneAfterTheOtherFailsLosesNothingThatWasAcknowledged(t *testing.T) {
	dir, err := os.MkdirTemp("", "ruvel-cluster")
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	require.NoError(t, os.Chmod(dir, 0o711))
	p, err := build(t.Context(), "..", t.TempDir())
	require.NoError(t, err)
	h, err := open(t.Context(), dir+"/house", p)
	require.NoError(t, err)
	defer h.close()
	var told bytes.Buffer
	err = try(t.Context(), h, settings{lasts: time.Minute, wrong: 3 * time.Second, rest: 3 * time.Second}, &told)
	t.Log(told.String())
	require.NoError(t, err)
	assert.Contains(t, told.String(), "| database | killed |")
	assert.Contains(t, told.String(), "All that was acknowledged is there, once")
}

func TestNothingPassesThroughALineThatIsCutAndAllOfItAfterwards(t *testing.T) {
	far, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer far.Close()
	l, err := newLine(far.Addr().String())
	require.NoError(t, err)
	defer l.close()
	near, err := net.Dial("tcp", l.address())
	require.NoError(t, err)
	other, err := far.Accept()
	require.NoError(t, err)
	hears := func() string {
		data := make([]byte, 4)
		_, err := io.ReadFull(other, data)
		require.NoError(t, err)
		return string(data)
	}
	_, err = near.Write([]byte("lamp"))
	require.NoError(t, err)
	assert.Equal(t, "lamp", hears())
	l.set(true)
	_, err = near.Write([]byte("fog?"))
	require.NoError(t, err, "nobody is told")
	require.NoError(t, other.SetReadDeadline(time.Now().Add(200*time.Millisecond)))
	_, err = other.Read(make([]byte, 1))
	require.ErrorIs(t, err, os.ErrDeadlineExceeded)
	require.NoError(t, other.SetReadDeadline(time.Time{}))
	l.set(false)
	assert.Equal(t, "fog?", hears())
	require.NoError(t, near.Close())
	_, err = other.Read(make([]byte, 1))
	assert.ErrorIs(t, err, io.EOF, "and an end is an end")
}

// What try finds out is worth nothing if it would not find it out.
func TestWhatIsLostThereTwiceOrUntoldIsFound(t *testing.T) {
	d := &desk{marks: map[string]bool{"there": true, "removed": false, "lost": true, "twice": true, "back": false}}
	wrong := d.differs(shown{Document: []byte(`{"markers":{"m1":{"name":"there"},"m2":{"name":"twice"},"m3":{"name":"twice"},"m4":{"name":"untold"},"m5":{"name":"back"}}}`)}, 0)
	assert.ElementsMatch(t, []string{
		`desk 1: the marker "lost" is there 0 times, and should be 1 times`, `desk 1: the marker "twice" is there 2 times, and should be 1 times`,
		`desk 1: the marker "back" is there 1 times, and should be 0 times`, `desk 1: nobody was told of the marker "untold"`,
	}, wrong)
}
