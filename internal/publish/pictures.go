package publish

import (
	"context"
	"fmt"

	"ruvel/internal/pictures"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Picture gives one that was handed in, as it is or, if a size in pixels of each side is given, no larger than that.
func (p *Publisher) Picture(ctx context.Context, id string, size int) (of store.Picture, data []byte, err error) {
	if of, err = p.Store.AnyPicture(ctx, id); err != nil {
		return of, nil, err
	}
	key := fmt.Sprintf("%s %d", of.ID, size)
	if data, there := p.scaled.Get(key); there && size > 0 {
		return of, data, nil
	}
	data, err = p.scaling.Do(ctx, key, func(ctx context.Context) ([]byte, error) {
		whole, err := p.bucket.ReadAll(ctx, work.PictureFolder+of.ID)
		if err != nil || size == 0 || size >= of.Size {
			return whole, err
		}
		return pictures.Scaled(whole, size)
	})
	if err != nil {
		return of, nil, fmt.Errorf("read a picture: %w", err)
	}
	if size > 0 {
		p.scaled.Add(key, data)
	}
	return of, data, nil
}
