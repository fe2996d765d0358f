package server_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/internal/episodes"
	"ruvel/testkit"
)

func TestAWrongEditIsToldByItsOperationItsFieldAndWhatThatTakes(t *testing.T) {
	show, episode := newEpisode(t)
	sound := imported(t, show, episode, "Harbour%20theme", testkit.Noise(1, 0.2, audio.Second, 6))
	d := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	for _, c := range []struct{ op, says string }{
		{`{"type":"set-clips","clips":[{"clip":"c2","gain":"loud"}]}`, `"set-clips" cannot be carried out as it is: clips[0].gain: expected number`},
		{`{"type":"add-marker","at":0,"name":"` + strings.Repeat("x", 300) + `"}`, `"add-marker" cannot be carried out as it is: name: expected length <= 200`},
		{`{"type":"set-clips","clips":"all"}`, `"set-clips" cannot be carried out as it is: clips: expected array`},
		{`{"type":"add-marker","at":"soon","name":"x"}`, `at: expected integer`},
		{`{"type":"add-marker","at":0,"name":"x","colour":"red"}`, `colour: unexpected property`},
		{`{"type":"explode"}`, `There is no operation "explode". Those that there are: add-marker,`},
		{`["add-marker"]`, "The operation is an object"},
	} {
		_, detail := refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": d.Version, "op": json.RawMessage(c.op)})
		assert.Contains(t, detail, c.says)
	}
	_, detail := refused(t, 422, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": d.Version})
	assert.Contains(t, detail, "The operation is missing")
	edited(t, episode, d.Version, edit.InsertClip{Sound: sound, Track: d.Document.Tracks[0].ID, Start: 10 * audio.Second})
	var names []string
	for _, c := range want[episodes.Desk](t, "GET", "/episodes/"+episode, nil).Document.Tracks[0].Clips {
		names = append(names, c.Name)
	}
	assert.Equal(t, []string{"Harbour theme", "Harbour theme"}, names, "a clip without a name bears its sound's")
}
