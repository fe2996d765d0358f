package running

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"path/filepath"
	"strings"
	"time"

	awshttp "github.com/aws/aws-sdk-go-v2/aws/transport/http"
	"github.com/aws/aws-sdk-go-v2/service/s3"
	"github.com/aws/smithy-go/logging"
	"gocloud.dev/aws"
	"gocloud.dev/blob"
	"gocloud.dev/blob/fileblob"
	"gocloud.dev/blob/s3blob"

	"ruvel/core/problem"
	"ruvel/internal/incoming"
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
	b, err := openS3(ctx, u)
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

const (
	// dialled and silent are for how long a store is waited for that is not reached, or that sends nothing and takes nothing.
	dialled = 2 * time.Second
	silent  = 15 * time.Second
)

// openS3 opens a bucket that is spoken to as to S3. What hangs is given up, so that it can be tried again.
func openS3(ctx context.Context, at *url.URL) (*blob.Bucket, error) {
	q := at.Query()
	paths := q.Get("use_path_style") == "true"
	q.Del("use_path_style")
	config, err := aws.V2ConfigFromURLParams(ctx, q)
	if err != nil {
		return nil, err
	}
	config.Logger = logging.Nop{} // what goes wrong is told by errors
	dialer := &net.Dialer{Timeout: dialled}
	config.HTTPClient = awshttp.NewBuildableClient().WithTransportOptions(func(t *http.Transport) {
		t.DialContext = func(ctx context.Context, network, address string) (net.Conn, error) {
			c, err := dialer.DialContext(ctx, network, address)
			return impatient{c}, err
		}
	})
	client := s3.NewFromConfig(config, func(o *s3.Options) { o.UsePathStyle = paths })
	return s3blob.OpenBucket(ctx, client, at.Host, &s3blob.Options{RequestChecksumCalculation: config.RequestChecksumCalculation})
}

// impatient is a connection that ends when nothing passes through it for a while.
type impatient struct{ net.Conn }

func (c impatient) Read(p []byte) (int, error) {
	_ = c.SetReadDeadline(time.Now().Add(silent))
	return c.Conn.Read(p)
}

func (c impatient) Write(p []byte) (int, error) {
	_ = c.SetWriteDeadline(time.Now().Add(silent))
	return c.Conn.Write(p)
}

// arrivals are the places of what arrives in pieces.
type arrivals struct {
	takes, uploads, parts incoming.Place
	shared                bool // other processes find what this one has taken in
	elsewhere             bool // not on a disk of this machine
}

// under is what the names begin with, in a bucket that several processes share, of what arrives in pieces.
const under = "incoming/"

// arrivals opens them: in the data folder, or, where a bucket is named, in that, with whatever lies in the folder still.
func (h *House) arrivals(ctx context.Context, data *folder, set Settings) (a arrivals, err error) {
	own := func(name string) (incoming.Place, error) { return incoming.Open(data.join(name)) }
	place := own
	switch {
	case set.Bucket == "":
	case strings.Contains(set.Bucket, "://"):
		a.shared, a.elsewhere = true, true
		place = func(name string) (incoming.Place, error) {
			return incoming.Bucket{In: h.Bucket, Prefix: under + name + "/"}, nil
		}
	default:
		a.shared = true
		place = func(name string) (incoming.Place, error) {
			return incoming.Open(filepath.Join(set.Bucket, under, name))
		}
	}
	if a.takes, err = place("takes"); err != nil {
		return a, err
	}
	if a.uploads, err = place("uploads"); err != nil || !a.shared {
		return a, err
	}
	if a.parts, err = place("parts"); err != nil {
		return a, err
	}
	for name, to := range map[string]incoming.Place{"takes": a.takes, "uploads": a.uploads} {
		from, err := own(name)
		if err != nil {
			return a, err
		}
		if err := incoming.Move(ctx, from, to); err != nil {
			return a, fmt.Errorf("bring what has arrived in the data folder to the bucket: %w", err)
		}
	}
	return a, nil
}
