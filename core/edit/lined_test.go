package edit_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/testkit/law"
)

func TestNamesAreOrderedAsPeopleOrderThem(t *testing.T) {
	want := []string{"Link", "link 2", "Link 2b", "Link 07", "Link 10", "Sign-off", "Sign-off 2"}
	got := slices.Clone(want)
	slices.Reverse(got)
	slices.SortFunc(got, edit.CompareNames)
	assert.Equal(t, want, got)
}

func TestNamesHaveOneOrder(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		name := rapid.StringMatching(`[aB]?[0-9]{0,3}[aB]?[0-9]{0,2}`)
		a, b, c := name.Draw(t, "a"), name.Draw(t, "b"), name.Draw(t, "c")
		assert.Equal(t, edit.CompareNames(a, b), -edit.CompareNames(b, a))
		assert.Equal(t, a == b, edit.CompareNames(a, b) == 0)
		if edit.CompareNames(a, b) <= 0 && edit.CompareNames(b, c) <= 0 {
			assert.LessOrEqual(t, edit.CompareNames(a, c), 0)
		}
	})
}

// Whatever comes first: recordings that were dropped together lie one after the other in the order of their names.
func TestWhatIsLinedUpLiesInTheOrderOfItsNamesHoweverItComes(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 12).Draw(t, "n")
		var want []string
		for i := range n {
			want = append(want, fmt.Sprintf("Part %d", i+1))
		}
		from := audio.Frames(rapid.Int64Range(0, int64(60*audio.Second)).Draw(t, "from"))
		lengths := map[string]audio.Frames{}
		doc := session.New()
		before := audio.Frames(rapid.Int64Range(480, int64(audio.Second)).Draw(t, "before"))
		ops := []edit.Op{edit.AddTrack{Part: session.Voice}}
		if from > 0 {
			ops = append(ops, edit.InsertClip{Sound: edit.ExampleVoice, Track: "t1", Name: "There already", Length: min(before, from)})
		}
		for _, name := range rapid.Permutation(want).Draw(t, "order") {
			lengths[name] = audio.Frames(rapid.Int64Range(480, int64(5*audio.Second)).Draw(t, name))
			ops = append(ops, edit.InsertClip{Sound: edit.ExampleVoice, Track: "t1", Start: from, Name: name, Length: lengths[name], Lined: true})
		}
		for _, op := range ops {
			var err error
			doc, _, err = edit.Apply(doc, op, edit.ExampleSounds)
			require.NoError(t, err)
		}
		at := from
		for _, name := range want {
			for _, c := range doc.Tracks[0].Clips {
				if c.Name == name {
					assert.Equal(t, at, c.Start, name)
				}
				if c.Name == "There already" {
					assert.Zero(t, c.Start)
				}
			}
			at += lengths[name]
		}
		assert.Equal(t, at, doc.Length())
	})
}
