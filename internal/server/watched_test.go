package server_test

import (
	"log/slog"
	"net/http/httptest"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/store"
)

// figures are what is told to who watches over the house.
func figures(t testing.TB) string {
	t.Helper()
	w := httptest.NewRecorder()
	house.Watch.Handler().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	require.Equal(t, 200, w.Code)
	return w.Body.String()
}

// figure is one of them.
func figure(t testing.TB, name string) float64 {
	t.Helper()
	m := regexp.MustCompile(`(?m)^` + regexp.QuoteMeta(name) + ` (\S+)$`).FindStringSubmatch(figures(t))
	if m == nil {
		return 0
	}
	v, err := strconv.ParseFloat(m[1], 64)
	require.NoError(t, err)
	return v
}

func TestWhatIsDoneIsCountedByItsOperation(t *testing.T) {
	_, episode := newEpisode(t)
	edits := `ruvel_request_seconds_count{operation="POST /api/episodes/{episode}/edits",status="200"}`
	refusals := `ruvel_request_seconds_count{operation="GET /api/episodes/{episode}",status="404"}`
	before, refused, dropped := figure(t, edits), figure(t, refusals), figure(t, "ruvel_dropouts_total")
	do(t, episode, 1, map[string]any{"type": "add-track", "part": "voice"})
	do(t, episode, 2, map[string]any{"type": "add-track", "part": "voice"})
	call(t, "GET", "/episodes/"+store.NewID(), nil)
	want[any](t, "POST", "/episodes/"+episode+"/dropouts", map[string]any{"times": 3})
	assert.Equal(t, before+2, figure(t, edits))
	assert.Equal(t, refused+1, figure(t, refusals))
	assert.Equal(t, dropped+3, figure(t, "ruvel_dropouts_total"))
	all := figures(t)
	for _, name := range []string{"ruvel_jobs_waiting", "ruvel_jobs_running", "ruvel_listening_streams", "ruvel_working_copies", "ruvel_disk_free_bytes", "ruvel_spans_computed_total", "ruvel_spans_bytes", "process_resident_memory_bytes"} {
		assert.Regexp(t, `(?m)^`+name+` \d`, all)
	}
	assert.NotContains(t, all, episode, "nothing of what is in it")
}

func TestWhatARequestBeginsHasItsIDInTheLog(t *testing.T) {
	var mu sync.Mutex
	var log strings.Builder
	was := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(writer(func(p []byte) (int, error) {
		mu.Lock()
		defer mu.Unlock()
		return log.Write(p)
	}), nil)))
	defer slog.SetDefault(was)
	show, _ := newEpisode(t)
	_, header, _ := call(t, "POST", "/shows/"+show+"/sounds?file=fog.wav", shortFile(t), "X-Request-Id", "from-the-front.7")
	assert.Equal(t, "from-the-front.7", header.Get("X-Request-Id"))
	require.Eventually(t, func() bool {
		mu.Lock()
		defer mu.Unlock()
		return regexp.MustCompile(`a job has ended.* request=from-the-front.7 kind=import state=done`).MatchString(log.String())
	}, patience, tick)
	_, header, _ = call(t, "GET", "/shows", nil, "X-Request-Id", "two\twords")
	assert.NotEqual(t, "two\twords", header.Get("X-Request-Id"), "what is none is given one")
	assert.Len(t, header.Get("X-Request-Id"), 36)
}

// writer is a function as an io.Writer.
type writer func(p []byte) (int, error)

func (w writer) Write(p []byte) (int, error) { return w(p) }
