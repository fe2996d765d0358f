package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
)

// restore backs the house up as docs/running.md says, brings the backup to another database and another folder, and begins a Ruvel on them.
// What it serves must be what the house has.
func (h *house) restore(ctx context.Context, p *person, d *desk) error {
	want, err := p.desk(ctx, d.id)
	if err != nil {
		return err
	}
	host, port, err := net.SplitHostPort(h.nodes[1])
	if err != nil {
		return err
	}
	dump := filepath.Join(h.dir, "ruvel.sql")
	account := []string{"--no-defaults", "--host=" + host, "--port=" + port, "--user=" + databaseUser}
	by := func(cmd *exec.Cmd) error {
		cmd.Env = append(os.Environ(), "MYSQL_PWD="+databasePassword)
		if out, err := cmd.CombinedOutput(); err != nil {
			return fmt.Errorf("%s: %w: %s", cmd.Args[0], err, out)
		}
		return nil
	}
	for _, cmd := range []*exec.Cmd{
		exec.CommandContext(ctx, "mariadb-dump", append(slices.Clip(account), "--single-transaction", "--skip-lock-tables", "--result-file="+dump, "ruvel")...),
		exec.CommandContext(ctx, "mariadb", append(slices.Clip(account), "--execute=CREATE DATABASE restored")...),
		exec.CommandContext(ctx, "mariadb", append(slices.Clip(account), "restored", "--execute=SOURCE "+dump)...),
	} {
		if err := by(cmd); err != nil {
			return err
		}
	}
	copied := filepath.Join(h.dir, "copied")
	if err := os.CopyFS(copied, os.DirFS(filepath.Join(h.dir, "store", "originals"))); err != nil { // the files later than the rows
		return err
	}
	free, err := ports(1)
	if err != nil {
		return err
	}
	dir, err := h.sub("restored", nil)
	if err != nil {
		return err
	}
	program := h.programs.ruvel
	m := &member{kind: "ruvel", name: "restored", dir: h.dir, command: func() *exec.Cmd {
		return exec.Command(program, "serve", "--people", "--no-demo", "--data", dir, "--port", fmt.Sprint(free[0]), "--keep-free", "0",
			"--database", databaseUser+":"+databasePassword+"@tcp("+h.nodes[1]+")/restored", "--bucket", copied)
	}, serves: func(ctx context.Context) error { return answers(ctx, "http://"+at(free[0])+"/api/health") }}
	if err := m.begin(ctx); err != nil {
		return err
	}
	defer m.end()
	there := *p
	there.house = &house{address: "http://" + at(free[0])} // where they are still signed in
	got, err := there.desk(ctx, d.id)
	if err != nil {
		return err
	}
	if got.Version != want.Version || !equal(got.Document, want.Document) {
		return errors.New("what was restored is not what was there")
	}
	return nil
}
