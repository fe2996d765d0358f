package revise_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/problem"
	"ruvel/core/revise"
	"ruvel/testkit/law"
)

type inner struct {
	Season int      `json:"season,omitempty"`
	Guests []string `json:"guests,omitempty"`
}

type said struct {
	inner
	Text string `json:"text,omitempty"`
	Open bool   `json:"open,omitempty"`
	own  int
}

// change is one as it would come over the wire.
func change(was, now any) revise.Field {
	raw := func(v any) json.RawMessage {
		data, _ := json.Marshal(v)
		return data
	}
	return revise.Field{Was: raw(was), Now: raw(now)}
}

func TestOnlyWhatIsNamedChanges(t *testing.T) {
	there := said{inner{3, []string{"Odd"}}, "Of fog", true, 0}
	got, err := revise.Apply(there, revise.Revision{"text": change("Of fog", "Of a lamp"), "open": change(true, false)})
	require.NoError(t, err)
	assert.Equal(t, said{inner{3, []string{"Odd"}}, "Of a lamp", false, 0}, got)
	got, err = revise.Apply(there, revise.Revision{"guests": {Now: json.RawMessage(`null`)}, "season": {Now: json.RawMessage(`4`)}})
	require.NoError(t, err, "without what it was, whatever it was")
	assert.Equal(t, inner{4, nil}, got.inner)
}

func TestWhatWasWrittenMeanwhileIsNotOverwrittenAndIsGivenBack(t *testing.T) {
	there := said{Text: "Theirs"}
	changes := revise.Revision{"text": change("Old", "Mine"), "season": change(0, 2)}
	got, err := revise.Apply(there, changes)
	var stale revise.Stale
	require.ErrorAs(t, err, &stale)
	assert.Equal(t, map[string]json.RawMessage{"text": json.RawMessage(`"Theirs"`)}, stale.There)
	assert.Contains(t, err.Error(), "text")
	assert.Empty(t, got, "and nothing else is changed either")
	got, err = revise.Apply(said{}, revise.Revision{"text": change("Old", "Mine")})
	require.ErrorAs(t, err, &stale)
	assert.Equal(t, "null", string(stale.There["text"]), "it was taken away")
	assert.Empty(t, got)
	got, err = revise.Apply(there, revise.Revision{"text": change("Old", "Theirs")})
	require.NoError(t, err, "both want the same")
	assert.Equal(t, there, got)
}

func TestEmptyAndNotThereAreTheSame(t *testing.T) {
	for _, empty := range []any{nil, "", 0, false, []string{}, map[string]any{}} {
		for _, field := range []string{"text", "season", "open", "guests"} {
			_, err := revise.Apply(said{}, revise.Revision{field: change(empty, nil)})
			require.NoError(t, err, "%s was %v", field, empty)
		}
	}
}

func TestFieldsThatAreNotThereAndValuesThatDoNotFitAreRefused(t *testing.T) {
	for name, changes := range map[string]revise.Revision{
		"unknown-field": {"titel": change(nil, "x")},
		"bad-value":     {"season": change(nil, "two")},
	} {
		_, err := revise.Apply(said{}, changes)
		var p problem.Problem
		require.ErrorAs(t, err, &p)
		assert.Equal(t, name, p.Code)
	}
	_, err := revise.Apply(said{own: 1}, revise.Revision{"own": change(nil, 2)})
	require.Error(t, err, "what is not told cannot be changed")
	_, err = revise.Apply(said{}, revise.Revision{"text": {Was: json.RawMessage(`{`), Now: json.RawMessage(`"x"`)}})
	require.Error(t, err, "what cannot be read was never there")
}

func TestAMapHasWhateverFieldIsPutIntoIt(t *testing.T) {
	there := map[string]said{"a": {Text: "A"}}
	got, err := revise.Apply(there, revise.Revision{"b": change(nil, said{Text: "B"}), "a": {Now: json.RawMessage(`null`)}})
	require.NoError(t, err)
	assert.Equal(t, map[string]said{"b": {Text: "B"}}, got)
}

// Two who change different fields never see each other; of two who change the same one to different ends the later is told.
func TestTwoAtOnce(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		word := rapid.SampledFrom([]string{"", "a", "b", "c"})
		read := said{inner{rapid.IntRange(0, 2).Draw(t, "season"), nil}, word.Draw(t, "text"), false, 0}
		first, second := word.Draw(t, "first"), word.Draw(t, "second")
		now, err := revise.Apply(read, revise.Revision{"text": change(read.Text, first)})
		require.NoError(t, err)
		after, err := revise.Apply(now, revise.Revision{"season": change(read.Season, 7)})
		require.NoError(t, err)
		assert.Equal(t, first, after.Text)
		_, err = revise.Apply(after, revise.Revision{"text": change(read.Text, second)})
		if first == read.Text || first == second {
			require.NoError(t, err)
		} else {
			require.ErrorAs(t, err, new(revise.Stale))
		}
	})
}

func FuzzApply(f *testing.F) {
	f.Add(`{"text":{"was":"","now":"x"}}`)
	f.Add(`{"season":{"was":0,"now":1e400},"":{}}`)
	f.Fuzz(func(t *testing.T, data string) {
		var changes revise.Revision
		if json.Unmarshal([]byte(data), &changes) != nil {
			return
		}
		_, _ = revise.Apply(said{Text: "there"}, changes)
	})
}
