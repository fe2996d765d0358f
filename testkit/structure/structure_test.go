package main

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const root = "../.."

func TestThePictureOfTheCodeIsThatOfTheCode(t *testing.T) {
	now, err := structure(root)
	require.NoError(t, err)
	kept, err := os.ReadFile(root + "/docs/structure.svg")
	require.NoError(t, err)
	assert.Equal(t, string(now), string(kept), "run: go run ./testkit/structure")
}

// Floors, from the top: what begins everything, HTTP, acts, what they are done with, computation.
func TestImportsRunOneWay(t *testing.T) {
	g, err := goPackages(root)
	require.NoError(t, err)
	require.Greater(t, len(g), 60)
	for name, on := range g {
		for _, other := range on {
			below := func(floor string) bool { return strings.HasPrefix(other, floor) }
			if strings.HasPrefix(name, "core/") {
				assert.True(t, below("core/"), "%s computes, and imports %s", name, other)
			}
			if below("internal/server") || below("internal/running") {
				assert.Contains(t, []string{"cmd/ruvel", "internal/running"}, name, "only what begins everything rests on %s", other)
			}
		}
	}
	assert.NotContains(t, g["core/session"], "core/edit")
	for _, name := range []string{"core/audio", "core/problem", "core/tidy"} {
		assert.Empty(t, g[name], "%s rests on nothing", name)
	}
}

func TestThePageRestsOnWhatLiesBelowIt(t *testing.T) {
	g, err := pageFolders(root + "/ui/src")
	require.NoError(t, err)
	require.Greater(t, len(g), 15)
	down := g.down(g.floors())
	for name, on := range g {
		assert.ElementsMatch(t, on, down[name], "%s is in a circle with some of what it rests on", name)
		for _, other := range on {
			if strings.HasPrefix(other, "stages/") {
				// Who reads or hears has pages of their own, which come when they are opened as the stages do.
				assert.Contains(t, []string{"main", "hear"}, name, "%s rests on %s, which comes when it is opened", name, other)
			}
		}
	}
}

func TestWhatFollowsFromOtherLinesIsNotDrawn(t *testing.T) {
	g := graph{"a": {"b", "c", "d"}, "b": {"c"}, "c": {}, "d": {}}
	assert.Equal(t, []string{"b", "d"}, g.nearest("a"))
	assert.Equal(t, [][]string{{"c", "d"}, {"b"}, {"a"}}, g.floors())
	circle := graph{"a": {"b"}, "b": {"a", "c"}, "c": {}}
	assert.Len(t, circle.floors(), 3, "a circle ends")
}
