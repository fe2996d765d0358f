package uploads_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/store"
	"ruvel/internal/uploads"
)

// Earlier versions kept an upload as a file and a note beside it, in the folder in which each has a folder of its own now.
func TestUploadsThatAnEarlierVersionHasLeftGoOn(t *testing.T) {
	ctx := t.Context()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	dir := filepath.Join(house.Data, "uploads")
	leave := func(size int64) string {
		info := uploads.Announced{ID: store.NewID(), Size: size, MetaData: map[string]string{"filename": "Fog.wav", "show": show.ID}}
		note, err := json.Marshal(info)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, info.ID), []byte("RIFF"), 0o600))
		require.NoError(t, os.WriteFile(filepath.Join(dir, info.ID+".info"), note, 0o600))
		return info.ID
	}
	half, begun := leave(9), leave(8)
	require.NoError(t, os.Rename(filepath.Join(dir, begun), filepath.Join(dir, begun+".part")), "it was ended while it was taken over")
	strange := filepath.Join(dir, "strange.info")
	require.NoError(t, os.WriteFile(strange, []byte("{"), 0o600))
	require.NoError(t, house.Uploads.TakeOver(ctx, dir))
	for _, id := range []string{half, begun} {
		info, come, err := house.Uploads.Find(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, int64(4), come)
		assert.Equal(t, "Fog.wav", info.MetaData["filename"])
		assert.NoFileExists(t, filepath.Join(dir, id+".info"))
		require.NoError(t, house.Worker.RemoveUpload(ctx, id))
	}
	assert.FileExists(t, strange, "what is no upload stays where it is")
	require.NoError(t, os.Remove(strange))
	require.NoError(t, house.Uploads.TakeOver(ctx, dir))
	_, _, err = house.Uploads.Find(ctx, store.NewID())
	assert.True(t, store.IsNotFound(err))
}
