package e2e

import (
	"context"
	"sync"

	"github.com/stretchr/testify/require"

	"ruvel/core/session"
)

// Kind is a kind of episode that tests need. It is prepared once, as a hand does it, and copied from then on: a copy has
// the same document and no history.
type Kind struct {
	// prepare makes the episode in a window of its own and gives its id.
	prepare func(w *Window) string
	clips   int // that it has

	once sync.Once
	show string
	doc  session.Document
}

// twoClips is the newcomer's voice with music.
var twoClips = Kind{clips: 2, prepare: func(w *Window) string {
	voice, music := dropped(w.t)
	return dropOn(w, "Two clips", voice, music)
}}

// dropOn makes an episode by hand and drops files on it.
func dropOn(w *Window, title string, files ...string) (episode string) {
	w.t.Helper()
	episode = newEpisode(w, title)
	drop(w, files...)
	return episode
}

// drop drops files on an empty desk.
func drop(w *Window, files ...string) {
	w.t.Helper()
	x, y := w.Find(".lanes").At(0.6, 0.9)
	w.Drop(x, y, files...)
	w.untilClips(len(files))
}

// Copy makes an episode of that kind under a title, and gives its id.
func (k *Kind) Copy(w *Window, title string) string {
	w.t.Helper()
	ctx := context.Background()
	k.once.Do(func() {
		id := k.prepare(OpenWindow(w.t, base))
		e, err := house.Store.Episode(ctx, id)
		require.NoError(w.t, err)
		k.show = e.Show
		k.doc, _, err = house.Store.Document(ctx, id)
		require.NoError(w.t, err)
	})
	require.NotEmpty(w.t, k.show, "it could not be prepared")
	made, err := house.Store.AddEpisode(ctx, k.show, title, 0, k.doc.Clone())
	require.NoError(w.t, err)
	return made.ID
}

// Open opens a copy in a window.
func (k *Kind) Open(w *Window, title string) string {
	w.t.Helper()
	id := k.Copy(w, title)
	w.Go("/episodes/" + id)
	w.untilClips(k.clips)
	w.Until(`document.querySelector("aside[aria-label='Balance panel'] h2")`) // with it, all of the show is brought into sight
	return id
}
