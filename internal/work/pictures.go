package work

import (
	"context"
	"errors"
	"sync"
	"time"

	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"

	"ruvel/internal/disk"
	"ruvel/internal/pictures"
	"ruvel/internal/store"
)

// PictureFolder is where all pictures lie in the bucket, by their ids.
const PictureFolder = "pictures/"

// Pictures are those that shows have, as originals are: none is deleted while one is being put in.
type Pictures struct {
	Bucket   *blob.Bucket
	Store    *store.Store
	deleting sync.RWMutex
}

// Keep puts a picture into the bucket and adds it to a show.
func (b *Pictures) Keep(ctx context.Context, show string, p pictures.Picture) (store.Picture, error) {
	kept, err := b.Put(ctx, p)
	if err != nil {
		return kept, err
	}
	return kept, b.Store.AddPicture(ctx, show, kept)
}

// Put puts a picture into the bucket. Also one that is there is written anew: then it is young, and stays until its row is there.
func (b *Pictures) Put(ctx context.Context, p pictures.Picture) (store.Picture, error) {
	b.deleting.RLock()
	defer b.deleting.RUnlock()
	if err := b.Bucket.WriteAll(ctx, PictureFolder+p.ID, p.Data, &blob.WriterOptions{ContentType: p.Type}); err != nil {
		return store.Picture{}, disk.Full(err)
	}
	return store.Picture{ID: p.ID, Type: p.Type, Size: p.Size, Bytes: int64(len(p.Data))}, nil
}

// DeleteOlder removes a picture that was put in longer ago than an age and that no show has, and says whether it did.
func (b *Pictures) DeleteOlder(ctx context.Context, id string, age time.Duration) (bool, error) {
	b.deleting.Lock()
	defer b.deleting.Unlock()
	a, err := b.Bucket.Attributes(ctx, PictureFolder+id)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return false, nil
	}
	if err != nil || time.Since(a.ModTime) < age {
		return false, err
	}
	if _, err := b.Store.AnyPicture(ctx, id); err == nil || !store.IsNotFound(err) {
		return false, err
	}
	err = b.Bucket.Delete(ctx, PictureFolder+id)
	return err == nil, errors.Join(err)
}
