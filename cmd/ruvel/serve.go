package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"ruvel/internal/demo"
	"ruvel/internal/outside"
	"ruvel/internal/people"
	"ruvel/internal/running"
	"ruvel/internal/server"
)

type serve struct {
	Port     int           `help:"Port on 127.0.0.1; 0 takes any free one." default:"8080"`
	Data     string        `help:"Folder for the database, sounds and mixdowns." default:"var" type:"path"`
	Demo     bool          `help:"Fill an empty database with the sample series." default:"true" negatable:""`
	Database string        `help:"DSN of a MariaDB server to use instead of a private one." env:"RUVEL_DATABASE"`
	NATS     string        `help:"URL of a NATS server to use instead of the embedded one." env:"RUVEL_NATS" name:"nats"`
	Bucket   string        `help:"A folder for originals and finished files in the place of one in the data folder, or a bucket: s3://NAME?endpoint=…" env:"RUVEL_BUCKET"`
	KeepFree int64         `help:"Megabytes that must stay free on the disk." default:"200"`
	Folder   string        `help:"A folder that finished files can be copied to." env:"RUVEL_FOLDER" type:"existingdir"`
	Backup   *string       `help:"A folder into which the archives of all episodes are written by a schedule." env:"RUVEL_BACKUP"`
	Every    time.Duration `help:"How often a backup is written." default:"24h" env:"RUVEL_BACKUP_EVERY" name:"backup-every"`
	Name     []string      `help:"A further name that Ruvel answers to, as behind a proxy; loopback addresses and localhost are always answered to. With one, people sign in." env:"RUVEL_NAMES"`
	People   bool          `help:"Several people work with it, and sign in." env:"RUVEL_PEOPLE"`
	Pages    *int          `help:"A port of their own for pages for listeners and feeds, which serves nothing else; the other then serves none of them." name:"public-port" env:"RUVEL_PUBLIC_PORT"`
	At       string        `help:"The address under which listeners reach that port, as https://listen.example." name:"public-address" env:"RUVEL_PUBLIC_ADDRESS"`
	Metrics  *int          `help:"A port of its own for figures in the form of Prometheus, at /metrics." name:"metrics-port" env:"RUVEL_METRICS_PORT"`
	LogJSON  bool          `help:"Write the log as JSON, a line for each thing." name:"log-json" env:"RUVEL_LOG_JSON"`
	Renew    string        `help:"Print a link, good once, by which whoever signs in by this name gives a new password."`
	Issuer   string        `help:"A provider of OpenID Connect with which people can sign in." name:"oidc-issuer" env:"RUVEL_OIDC_ISSUER" group:"oidc"`
	Client   string        `help:"As which client Ruvel is known to it." name:"oidc-client" env:"RUVEL_OIDC_CLIENT" group:"oidc"`
	Secret   string        `help:"And by which secret." name:"oidc-secret" env:"RUVEL_OIDC_SECRET" group:"oidc"`
	Called   string        `help:"What people call it." name:"oidc-name" env:"RUVEL_OIDC_NAME" group:"oidc"`
}

// Run serves until it is interrupted.
func (c serve) Run(ctx context.Context) error {
	syscall.Umask(0o077) // what is written is for our user alone
	if c.LogJSON {
		slog.SetDefault(slog.New(slog.NewJSONHandler(os.Stderr, nil)))
	}
	if c.Backup != nil {
		if err := apart(*c.Backup, c.Data); err != nil {
			return err
		}
	}
	l, err := server.Listen(c.Port)
	if err != nil {
		return err
	}
	defer l.Close()
	pages, at, err := c.pages()
	if err != nil {
		return err
	}
	for _, l := range pages {
		defer l.Close()
	}
	house, err := running.Start(ctx, running.Settings{
		Data: c.Data, Database: c.Database, NATS: c.NATS, Bucket: c.Bucket, KeepFree: c.KeepFree << 20, Names: c.Name, Folder: c.Folder,
		People: c.several(), Outside: outside.Settings{Issuer: c.Issuer, Client: c.Client, Secret: c.Secret, Name: c.Called}, Pages: at,
	})
	if err != nil {
		return err
	}
	defer house.Close()
	if err := os.Setenv("TMPDIR", house.Scratch()); err != nil { // so that nothing is left behind in the system's folder
		return err
	}
	if c.Demo {
		filled := make(chan struct{})
		house.Make("the show")
		go func() {
			defer close(filled)
			c.fill(ctx, house)
		}()
		defer func() { <-filled }()
	}
	if c.Backup != nil {
		kept := make(chan struct{})
		go func() {
			defer close(kept)
			house.Backup.Run(ctx, *c.Backup, max(c.Every, time.Minute))
		}()
		defer func() { <-kept }()
	}
	stop, err := c.watched(ctx, house)
	if err != nil {
		return err
	}
	defer stop()
	here := fmt.Sprintf("http://127.0.0.1:%d", portOf(l))
	if err := c.welcome(ctx, house, here); err != nil {
		return err
	}
	fmt.Printf("Ruvel is ready: %s\n", here)
	return house.Serve(ctx, l, pages...)
}

// several says whether people sign in: if that was asked for, or if a name is given by which others than those at this machine reach it.
func (c serve) several() bool {
	return c.People || slices.ContainsFunc(c.Name, func(name string) bool { return !server.Loopback(name) })
}

// pages are the listener of pages for listeners, if they have one of their own, and its address.
func (c serve) pages() (all []net.Listener, at string, err error) {
	if c.Pages == nil {
		if c.At != "" {
			return nil, "", errors.New("--public-address says where pages for listeners are reached, but they have no port of their own: give --public-port")
		}
		return nil, "", nil
	}
	l, err := server.Listen(*c.Pages)
	if err != nil {
		return nil, "", err
	}
	if at = c.At; at == "" {
		at = fmt.Sprintf("http://127.0.0.1:%d", portOf(l))
	}
	fmt.Printf("Pages for listeners and feeds: %s\n", at)
	return []net.Listener{l}, strings.TrimSuffix(at, "/"), nil
}

// watched serves figures of a house, if they have a port.
func (c serve) watched(ctx context.Context, house *running.House) (stop func(), err error) {
	if c.Metrics == nil {
		return func() {}, nil
	}
	l, err := server.Listen(*c.Metrics)
	if err != nil {
		return nil, err
	}
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", house.Watch.Handler())
	web := &http.Server{Handler: mux, ReadHeaderTimeout: 10 * time.Second, BaseContext: func(net.Listener) context.Context { return ctx }}
	go func() { _ = web.Serve(l) }()
	fmt.Printf("Figures: http://127.0.0.1:%d/metrics\n", portOf(l))
	return func() { _ = web.Close() }, nil
}

func portOf(l net.Listener) int { return l.Addr().(*net.TCPAddr).Port }

// welcome says that people sign in, why, and how the first of them comes in.
func (c serve) welcome(ctx context.Context, house *running.House, here string) error {
	if house.People == nil {
		return nil
	}
	if !c.People {
		fmt.Println("People sign in here, because a name was given by which it is reached from elsewhere.")
	}
	if err := house.Store.OwnAll(ctx); err != nil {
		return err
	}
	link, err := house.People.First(ctx)
	if err != nil {
		return err
	}
	if c.Renew != "" {
		who, err := house.Store.PersonBySignIn(ctx, people.Folded(c.Renew))
		if err != nil {
			return fmt.Errorf("nobody signs in as %s", c.Renew)
		}
		renewed, err := house.People.Renew(ctx, who.ID)
		if err != nil {
			return err
		}
		fmt.Printf("A new password for %s: %s/join#%s\n", who.Name, here, renewed)
	}
	if link != "" {
		fmt.Printf("The first person begins here, once: %s/join#%s\n", here, link)
	}
	return nil
}

// fill makes the sample series while the page is there already. One that is interrupted is completed at the next start.
func (c serve) fill(ctx context.Context, house *running.House) {
	defer house.Make("")
	filled, err := demo.Fill(ctx, house.Store, house.Sounds, house.Bucket, func(what string) {
		house.Make(what)
		fmt.Println("Making", what)
	})
	switch {
	case err != nil && ctx.Err() == nil:
		slog.Error("the sample series could not be filled in; it is tried again at the next start", "error", err)
	case filled && err == nil:
		if err := house.Store.OwnAll(ctx); err != nil {
			slog.Error("the sample series has no owner yet; it gets one at the next start", "error", err)
		}
		fmt.Println("The sample series is there")
	}
}

// apart refuses a folder for backups that would be lost with what it is to keep.
func apart(backup, data string) error {
	if backup == "" {
		return errors.New("the folder for backups has no name: give --backup (or RUVEL_BACKUP) a folder, or leave it out")
	}
	at := []string{backup, data}
	for i, path := range at {
		whole, err := filepath.Abs(path)
		if err != nil {
			return err
		}
		at[i] = resolved(whole)
	}
	if inside, err := filepath.Rel(at[1], at[0]); err == nil && filepath.IsLocal(inside) {
		return fmt.Errorf("%s lies in the folder for the data, and would be lost with it: choose another folder for backups, on another disk if there is one", backup)
	}
	return nil
}

// resolved is a path without symbolic links, as far as it is there.
func resolved(path string) string {
	if real, err := filepath.EvalSymlinks(path); err == nil {
		return real
	}
	if up := filepath.Dir(path); up != path {
		return filepath.Join(resolved(up), filepath.Base(path))
	}
	return path
}
