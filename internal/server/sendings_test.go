package server_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/internal/handover"
	"ruvel/internal/hosts"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// finishedFile is a short finished file of a new episode.
func finishedFile(t *testing.T) (episode, mixdown string) {
	t.Helper()
	show, episode := newEpisode(t)
	imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 2*audio.Second, 6))
	job := want[struct{ Jobs []work.JobEvent }](t, "POST", "/episodes/"+episode+"/mixdowns", map[string]any{"files": []any{map[string]any{"format": "mp3", "channels": 2}}, "asItIs": true, "overrule": true}).Jobs[0].ID
	require.Equal(t, "done", string(ended(t, job).State))
	return episode, job
}

// becomes waits until a sending has a state.
func becomes(t *testing.T, episode, id string, state store.SendingState) (out handover.Sent) {
	t.Helper()
	require.Eventually(t, func() bool {
		for _, s := range want[[]handover.Sent](t, "GET", "/episodes/"+episode+"/sendings", nil) {
			if s.ID == id {
				out = s
			}
		}
		return out.State == state
	}, patience, tick, "%+v", &out)
	return out
}

func TestAFinishedFileIsSentElsewhereAndItsStateIsSeen(t *testing.T) {
	episode, mixdown := finishedFile(t)
	outside := want[[]handover.Outside](t, "GET", "/hosts", nil)
	require.NotEmpty(t, outside)
	assert.Len(t, outside[len(outside)-1].Ways, 4)
	send := func(way string) handover.Sent {
		return want[handover.Sent](t, "POST", "/mixdowns/"+mixdown+"/sendings", map[string]any{"host": hosts.PracticeKey, "way": way})
	}
	accepted := becomes(t, episode, send("").ID, store.SendingSent)
	assert.Equal(t, 1, accepted.Tries)
	assert.Contains(t, accepted.Said, "arrived whole")
	assert.NotNil(t, accepted.Ended)

	refused := becomes(t, episode, send("refuses").ID, store.SendingRefused)
	assert.Equal(t, 1, refused.Tries, "it is not tried again")
	assert.Contains(t, refused.Said, "does not take this file")

	broken := send("breaks-off")
	waits := becomes(t, episode, broken.ID, store.SendingWaits)
	if waits.Tries > 0 {
		assert.Contains(t, waits.Said, "broke off")
	}
	whole := becomes(t, episode, broken.ID, store.SendingSent)
	assert.Equal(t, 3, whole.Tries)

	slow := send("slow")
	becomes(t, episode, slow.ID, store.SendingRuns)
	want[any](t, "POST", "/jobs/"+slow.ID+"/cancel", nil)
	becomes(t, episode, slow.ID, "cancelled")

	all := want[[]handover.Sent](t, "GET", "/episodes/"+episode+"/sendings", nil)
	assert.Len(t, all, 4)
	assert.Equal(t, slow.ID, all[0].ID, "the newest first")

	code, _ := refusal(t, "POST", "/mixdowns/"+mixdown+"/sendings", map[string]any{"host": "nowhere"})
	assert.Equal(t, "unknown-host", code)
	code, _ = refusal(t, "POST", "/mixdowns/"+mixdown+"/sendings", map[string]any{"host": hosts.PracticeKey, "way": "sings"})
	assert.Equal(t, "unknown-way", code)

	// What was sent is still said when the file is gone.
	want[any](t, "DELETE", "/mixdowns/"+mixdown, nil)
	for _, s := range want[[]handover.Sent](t, "GET", "/episodes/"+episode+"/sendings", nil) {
		assert.Empty(t, s.Mixdown)
		assert.NotEmpty(t, s.File)
	}
}

func refusal(t *testing.T, method, path string, body any) (code, detail string) {
	t.Helper()
	return refused(t, http.StatusUnprocessableEntity, method, path, body)
}
