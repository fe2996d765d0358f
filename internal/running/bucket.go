package running

import (
	"context"
	"fmt"
	"net/url"
	"strings"

	"gocloud.dev/blob"
	"gocloud.dev/blob/fileblob"
	_ "gocloud.dev/blob/s3blob" // buckets whose address begins with s3://

	"ruvel/core/problem"
)

// openBucket opens where originals, mixdowns and pictures are kept: a folder, or a bucket that is spoken to as to S3, by its address
// (s3://NAME?endpoint=…; keys come from the environment, as AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY). Several processes may share either.
func openBucket(ctx context.Context, at string) (*blob.Bucket, error) {
	if !strings.Contains(at, "://") {
		b, err := fileblob.OpenBucket(at, &fileblob.Options{CreateDir: true, NoTempDir: true, Metadata: fileblob.MetadataDontWrite})
		if err != nil {
			return nil, fmt.Errorf("open the folder of originals: %w", err)
		}
		return b, nil
	}
	u, err := url.Parse(at)
	if err != nil || u.Scheme != "s3" || u.Host == "" {
		return nil, problem.New("bad-bucket", "bucket", "A bucket is a folder, or an address like s3://originals?endpoint=https://store.example&region=eu; %s is neither.", problem.Short(at, 80))
	}
	b, err := blob.OpenBucket(ctx, at)
	if err != nil {
		return nil, fmt.Errorf("open the bucket %s: %w", u.Host, err)
	}
	there, err := b.IsAccessible(ctx)
	if err == nil && !there {
		err = problem.New("bad-bucket", "bucket", "There is no bucket %s at its address. Make it, or give another with --bucket.", u.Host)
	}
	if err != nil {
		_ = b.Close()
		return nil, fmt.Errorf("reach the bucket %s: %w", u.Host, err)
	}
	return b, nil
}
