package disk

import (
	"context"
	"io"
)

// Until reads from a reader until its end or that of a context, whichever comes first.
func Until(ctx context.Context, r io.Reader) io.Reader { return until{ctx, r} }

type until struct {
	ctx context.Context
	io.Reader
}

func (u until) Read(p []byte) (int, error) {
	if err := u.ctx.Err(); err != nil {
		return 0, err
	}
	return u.Reader.Read(p)
}
