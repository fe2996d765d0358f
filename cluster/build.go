package main

import (
	"context"
	"fmt"
	"os/exec"
	"path/filepath"
)

// build builds into a folder what the members run, from the folder of the project.
//
// The store of files is Versity's gateway: of what the registries carry that is spoken to as to S3, it is the one that keeps files lastingly,
// is one program, and is not a stand-in for tests. Debian has only what comes with a whole storage system around it, the npm registry only stand-ins.
func build(ctx context.Context, root, into string) (p programs, err error) {
	if into, err = filepath.Abs(into); err != nil {
		return p, err
	}
	for _, one := range []struct {
		in   string
		what []string
	}{
		{root, []string{"./cmd/ruvel", "github.com/nats-io/nats-server/v2"}},
		{filepath.Join(root, "tools"), []string{"github.com/versity/versitygw/cmd/versitygw"}},
	} {
		cmd := exec.CommandContext(ctx, "go", append([]string{"build", "-o", into + string(filepath.Separator)}, one.what...)...)
		cmd.Dir = one.in
		if out, err := cmd.CombinedOutput(); err != nil {
			return p, fmt.Errorf("build %v: %w: %s", one.what, err, out)
		}
	}
	in := func(name string) string { return filepath.Join(into, name) }
	return programs{ruvel: in("ruvel"), queue: in("nats-server"), store: in("versitygw")}, nil
}
