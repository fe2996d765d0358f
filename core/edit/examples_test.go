package edit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/edit"
)

func TestThereIsAnExampleOfEveryOperationThatCanBeDoneAndUndone(t *testing.T) {
	doc, err := edit.Example()
	require.NoError(t, err)
	require.NoError(t, doc.Validate())
	there := map[string]bool{}
	for _, op := range edit.Examples() {
		kind := edit.TypeOf(op)
		there[kind] = true
		data := edit.Encode(op)
		decoded, err := edit.Decode(data)
		require.NoError(t, err, "%s is what it says in JSON: %s", kind, data)
		next, name, err := edit.Apply(doc, decoded, edit.ExampleSounds)
		if assert.NoError(t, err, kind) {
			assert.NotEmpty(t, name, kind)
			assert.NoError(t, next.Validate(), kind)
			assert.NotEqual(t, string(doc.JSON()), string(next.JSON()), "%s changes something", kind)
		}
	}
	for _, op := range edit.Ops() {
		assert.True(t, there[edit.TypeOf(op)], "an example of %s", edit.TypeOf(op))
	}
}
