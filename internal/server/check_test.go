package server_test

import (
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/review"
	"ruvel/internal/check"
	"ruvel/internal/episodes"
	"ruvel/internal/server"
	"ruvel/testkit"
)

// findingsOf waits until the mix of a version has been checked as a whole.
func findingsOf(t *testing.T, episode string, version int64) (f server.Findings) {
	t.Helper()
	require.Eventually(t, func() bool {
		f = want[server.Findings](t, "GET", fmt.Sprintf("/episodes/%s/findings?rev=%d", episode, version), nil)
		return f.Measured && f.Version >= version
	}, time.Minute, 20*time.Millisecond)
	return f
}

// ofKind are the findings of a kind that are not set aside.
func ofKind(f server.Findings, kind string) (out []server.Finding) {
	for _, one := range f.Findings {
		if one.Kind == kind && !one.Aside {
			out = append(out, one)
		}
	}
	return out
}

// fixed posts the edit that mends a finding.
func fixed(t *testing.T, episode string, version int64, f server.Finding) int64 {
	t.Helper()
	require.NotNil(t, f.Fix, f.Text)
	var op map[string]any
	require.NoError(t, json.Unmarshal(f.Fix.Op.RawMessage, &op))
	return do(t, episode, version, op).Version
}

func TestAnEpisodeIsCheckedMendedAndCheckedAgain(t *testing.T) {
	show, episode, voice, _ := spokenOver(t)
	version := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version
	f := findingsOf(t, episode, version)
	covered := ofKind(f, "covered")
	require.Len(t, covered, 1, "music as loud as the voice")
	assert.Contains(t, covered[0].Text, "covers")
	assert.NotEmpty(t, covered[0].Name)
	require.Len(t, ofKind(f, "details"), 1)
	require.Len(t, ofKind(f, "credit"), 1, "nobody has written down where the music is from")

	// Heard before it is done, which changes nothing.
	address := fmt.Sprintf("/episodes/%s/try?from=%d&to=%d&op=%s", episode, 6*audio.Second, 9*audio.Second, url.QueryEscape(string(covered[0].Fix.Op.RawMessage)))
	status, _, sound := call(t, "GET", address, nil)
	require.Equal(t, 200, status)
	mended := testkit.ReadAudio(t, testkit.WriteFile(t, "tried.wav", sound), 2)
	version = fixed(t, episode, version, covered[0])
	f = findingsOf(t, episode, version)
	assert.Empty(t, ofKind(f, "covered"))
	after := stream(t, episode, fmt.Sprintf("from=%d&to=%d&rev=%d", 6*audio.Second, 9*audio.Second, version))
	assert.Less(t, testkit.MaxDifference(t, mended, after), 1.0/15000, "what was heard before is what was made")

	// What is missing is written down, and is missed no more.
	want[episodes.Episode](t, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, map[string]any{"description": "What it is about", "language": "en"}))
	assert.Empty(t, ofKind(findingsOf(t, episode, version), "details"))
	code, _ := refused(t, 422, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, map[string]any{"description": "", "language": "?"}))
	assert.Equal(t, "bad-language", code)

	// Set aside with a reason, in one step that can be taken back.
	credit := ofKind(f, "credit")[0]
	version = do(t, episode, version, map[string]any{"type": "set-aside", "reason": "By a friend", "findings": []any{map[string]any{"key": credit.Key, "name": credit.Name, "by": credit.By}}}).Version
	f = findingsOf(t, episode, version)
	assert.Empty(t, ofKind(f, "credit"))
	last := f.Findings[len(f.Findings)-1]
	assert.Equal(t, []any{credit.Key, true, "By a friend"}, []any{last.Key, last.Aside, last.Reason})

	// Another limit of the show.
	limits := want[review.Bounds](t, "GET", "/shows/"+show+"/limits", nil)
	assert.Equal(t, review.Usual(), limits)
	version = do(t, episode, version, map[string]any{"type": "set-tracks", "tracks": []any{map[string]any{"track": voice, "solo": true}}}).Version
	require.Len(t, ofKind(findingsOf(t, episode, version), "solo"), 1)
	limits.DeadBefore, limits.DeadAfter = 20, 20
	want[review.Bounds](t, "PATCH", "/shows/"+show+"/limits", testkit.Revised(t, limits))
	f = findingsOf(t, episode, version)
	assert.Equal(t, 20.0, f.Limits.DeadBefore)
	assert.Empty(t, ofKind(f, "dead-air"), "six seconds before and after the voice are within the limits now")
	limits.Click = 5
	code, _ = refused(t, 422, "PATCH", "/shows/"+show+"/limits", testkit.Revised(t, limits))
	assert.NotEmpty(t, code)
}

func TestLoudnessOverTimeIsThatOfTheMix(t *testing.T) {
	_, episode, _, _ := spokenOver(t)
	version := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version
	findingsOf(t, episode, version)
	a := want[check.Along](t, "GET", fmt.Sprintf("/episodes/%s/loudness/course?rev=%d", episode, version), nil)
	assert.Equal(t, version, a.Version)
	assert.Len(t, a.Momentary, 2*int(24*10))
	assert.Len(t, a.SoFar, 2*24)
	last := int16(uint16(a.SoFar[46]) | uint16(a.SoFar[47])<<8)
	assert.InDelta(t, a.Whole.Integrated, float64(last)/100, 0.011)
	assert.NotEmpty(t, a.Spoken)
	assert.InDelta(t, a.Whole.Range, a.High-a.Low, 1e-6)
}

func TestAnEarlierVersionIsHeardAndComparedAtTheSameLoudness(t *testing.T) {
	_, episode, voice, music := spokenOver(t)
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	named := want[struct{ ID string }](t, "POST", "/episodes/"+episode+"/versions", map[string]any{"name": "Before"})
	const part = "from=336000&to=384000"
	before := stream(t, episode, part)
	version := do(t, episode, d.Version, map[string]any{"type": "set-tracks", "tracks": []any{
		map[string]any{"track": voice, "fader": -6}, map[string]any{"track": music, "fader": -6},
	}}).Version
	findingsOf(t, episode, version)
	steps := want[struct{ Applied int64 }](t, "GET", "/episodes/"+episode+"/history", nil)
	for _, of := range []string{"named:" + named.ID, fmt.Sprintf("step:%d", steps.Applied-1)} {
		c := want[check.Compared](t, "GET", fmt.Sprintf("/episodes/%s/compare?of=%s&rev=%d", episode, of, version), nil)
		assert.Equal(t, version, c.Version)
		assert.True(t, c.Now.Measured)
		assert.InDelta(t, 6, c.Then.Loudness-c.Now.Loudness, 0.1)
		assert.InDelta(t, -6, c.Then.Gain, 0.1)
		assert.InDelta(t, 0, c.Now.Gain, 1e-9)
		assert.Contains(t, c.Differs[0], "softer")
		then := stream(t, episode, part+"&of="+of)
		assert.Equal(t, before, then, "as it was")
		softer := stream(t, episode, fmt.Sprintf("%s&of=%s&gain=%.3f", part, of, c.Then.Gain))
		now := stream(t, episode, fmt.Sprintf("%s&rev=%d", part, version))
		assert.InDelta(t, testkit.RMS(now[0]), testkit.RMS(softer[0]), 0.1, "both as loud")
	}
	assert.Equal(t, version, want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Version, "nothing has changed")
	code, _ := refused(t, 422, "GET", "/episodes/"+episode+"/compare?of=yesterday", nil)
	assert.Equal(t, "bad-version", code)
	refused(t, 404, "GET", "/episodes/"+episode+"/compare?of=named:01890000-0000-7000-8000-000000000000", nil)
	refused(t, 404, "GET", "/episodes/"+episode+"/compare?of=step:999", nil)
}

func TestASoundThatIsMissingIsSaidWhereNothingCanBeRendered(t *testing.T) {
	_, episode, _, _ := spokenOver(t)
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	findingsOf(t, episode, d.Version)
	id := d.Document.SoundsInOrder()[0]
	// Its original and its working copy are taken away.
	require.Eventually(t, func() bool { house.Plans.ForgetIdle(); return house.Sounds.Mapped() == 0 }, time.Minute, 20*time.Millisecond)
	aside := t.TempDir()
	for _, folder := range []string{"originals", "cache"} {
		require.NoError(t, os.Rename(filepath.Join(data, folder, id), filepath.Join(aside, folder)))
	}
	version := do(t, episode, d.Version, map[string]any{"type": "add-marker", "at": 0, "name": "x"}).Version
	f := want[server.Findings](t, "GET", fmt.Sprintf("/episodes/%s/findings?rev=%d", episode, version), nil)
	require.Len(t, ofKind(f, "missing"), 1)
	assert.Equal(t, review.Must, ofKind(f, "missing")[0].Weight)
	assert.False(t, f.Measured)
}
