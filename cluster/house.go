package main

import (
	"bufio"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	_ "github.com/go-sql-driver/mysql" // by which the nodes are asked
)

// of each of these there are three.
const three = 3

// programs are those that the members run, besides what Debian has.
type programs struct {
	ruvel, queue, store string
	cores               int // that each Ruvel uses
}

// house is a Ruvel on many machines, all of which are this one: three nodes of a database, three servers of a queue, a store of files, a web
// server in front, and three Ruvels. Each Ruvel has lines of its own to all that it rests on.
type house struct {
	dir string
	programs
	address string // of the web server in front
	link    string // by which the first person comes in

	databases, queues, ruvels [three]*member
	files, front              *member
	nodes, nats               [three]string // addresses of the database's nodes, and of the queue's servers
	storeAt                   string
	toRuvel                   [three]*line      // from the front
	fromRuvel                 [three][]*line    // to all that it rests on
	between                   [three][2][]*line // of the queue's servers: those that come in, and those that go out
	lines                     []*line
}

const (
	databaseUser, databasePassword = "ruvel", "foghorn"
	storeKey, storeSecret          = "harbour", "fog horn at night"
)

// open begins a house in an empty folder.
func open(ctx context.Context, dir string, p programs) (*house, error) {
	if err := os.MkdirAll(dir, 0o711); err != nil {
		return nil, err
	}
	h := &house{dir: dir, programs: p}
	for _, begin := range []func(context.Context, programs) error{h.openDatabase, h.openQueue, h.openStore, h.openRuvels, h.openFront} {
		if err := begin(ctx, p); err != nil {
			h.close()
			return nil, err
		}
	}
	return h, nil
}

// close ends all members, the later ones first.
func (h *house) close() {
	for _, m := range slices.Backward(h.members()) {
		if m != nil {
			m.end()
		}
	}
	for _, l := range h.lines {
		l.close()
	}
}

func (h *house) members() []*member {
	return slices.Concat(h.databases[:], h.queues[:], []*member{h.files}, h.ruvels[:], []*member{h.front})
}

func (h *house) line(to string) (*line, error) {
	l, err := newLine(to)
	if err == nil {
		h.lines = append(h.lines, l)
	}
	return l, err
}

// sub makes a folder, for a user.
func (h *house) sub(name string, of *owner) (string, error) {
	path := filepath.Join(h.dir, name)
	if err := os.MkdirAll(path, 0o700); err != nil {
		return "", err
	}
	if of != nil {
		return path, os.Chown(path, int(of.uid), int(of.gid))
	}
	return path, nil
}

// unprivileged is the user that the database runs as where we are root.
func unprivileged() (*owner, error) {
	if os.Getuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("mysql")
	if err != nil {
		return nil, err
	}
	uid, err := strconv.Atoi(u.Uid)
	if err != nil {
		return nil, err
	}
	gid, err := strconv.Atoi(u.Gid)
	return &owner{uint32(uid), uint32(gid)}, err
}

// provider is Debian's library by which MariaDB servers are one.
const provider = "/usr/lib/galera/libgalera_smm.so"

// openDatabase begins a Galera cluster. Its times are short, so that a node that is silent is left out after three seconds.
func (h *house) openDatabase(ctx context.Context, _ programs) error {
	as, err := unprivileged()
	if err != nil {
		return err
	}
	free, err := ports(three * 4)
	if err != nil {
		return err
	}
	var all []string
	for k := range three {
		all = append(all, at(free[4*k+1]))
	}
	for k := range three {
		dir, err := h.sub(fmt.Sprintf("database-%d", k+1), as)
		if err != nil {
			return err
		}
		install := exec.CommandContext(ctx, "mariadb-install-db", "--no-defaults", "--datadir="+dir, "--auth-root-authentication-method=normal", "--skip-test-db", "--skip-name-resolve")
		if as != nil {
			install.Args = append(install.Args, "--user=mysql")
		}
		if out, err := install.CombinedOutput(); err != nil {
			return fmt.Errorf("lay out a node of the database: %w: %s", err, out)
		}
		port, group, state, transfer := free[4*k], free[4*k+1], free[4*k+2], free[4*k+3]
		h.nodes[k] = at(port)
		first := k == 0
		join := "gcomm://" + strings.Join(all, ",")
		m := &member{kind: "database", name: fmt.Sprintf("database-%d", k+1), dir: h.dir, owner: as}
		m.command = func() *exec.Cmd {
			to := join
			args := []string{
				"--no-defaults", "--datadir=" + dir, "--socket=s", "--pid-file=" + filepath.Join(dir, "pid"), "--bind-address=127.0.0.1", "--port=" + strconv.Itoa(port), "--skip-name-resolve",
				"--max-allowed-packet=64M", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin", "--innodb-buffer-pool-size=128M", "--innodb-log-file-size=64M",
				"--binlog-format=ROW", "--innodb-autoinc-lock-mode=2", "--innodb-flush-log-at-trx-commit=2",
				"--wsrep-on=ON", "--wsrep-provider=" + provider, "--wsrep-cluster-name=ruvel", "--wsrep-node-name=" + m.name, "--wsrep-node-address=" + at(group),
				"--wsrep-sst-method=rsync", "--wsrep-sst-receive-address=" + at(transfer), "--wsrep-slave-threads=2",
				"--wsrep-provider-options=base_port=" + strconv.Itoa(group) + ";gmcast.listen_addr=tcp://" + at(group) + ";ist.recv_addr=" + at(state) +
					";gcache.size=128M;evs.keepalive_period=PT0.5S;evs.inactive_check_period=PT0.3S;evs.suspect_timeout=PT1.5S;evs.inactive_timeout=PT3S;evs.install_timeout=PT3S",
			}
			if first { // the first of them is no one's to join, once
				to, args = "gcomm://", append(args, "--wsrep-new-cluster")
				first = false
			}
			cmd := exec.Command("mariadbd", append(args, "--wsrep-cluster-address="+to)...)
			cmd.Dir = dir
			cmd.Env = append(os.Environ(), "UMASK=0600", "UMASK_DIR=0700")
			return cmd
		}
		account := func() string { return databaseUser + ":" + databasePassword }
		m.serves = func(ctx context.Context) error { return synced(ctx, account()+"@tcp("+h.nodes[k]+")/") }
		h.databases[k] = m
		if k > 0 {
			if err := m.begin(ctx); err != nil {
				return err
			}
			continue
		}
		if err := m.launch(); err != nil {
			return err
		}
		serves := m.serves
		m.serves = func(ctx context.Context) error { return settle(ctx, "root@unix("+filepath.Join(dir, "s")+")/") }
		err = m.wait(ctx)
		m.serves = serves
		if err != nil {
			return err
		}
	}
	return nil
}

// settle makes the database and the account that the Ruvels use.
func settle(ctx context.Context, dsn string) error {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	for _, statement := range []string{
		"CREATE DATABASE IF NOT EXISTS ruvel", "CREATE USER IF NOT EXISTS " + databaseUser + "@'127.0.0.1' IDENTIFIED BY '" + databasePassword + "'",
		"GRANT ALL ON *.* TO " + databaseUser + "@'127.0.0.1'",
	} {
		if _, err := db.ExecContext(ctx, statement); err != nil {
			return err
		}
	}
	return nil
}

// synced says whether a node belongs to its cluster and has all that the others have.
func synced(ctx context.Context, dsn string) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	var name, state string
	if err := db.QueryRowContext(ctx, "SHOW STATUS LIKE 'wsrep_local_state_comment'").Scan(&name, &state); err != nil {
		return err
	}
	if state != "Synced" {
		return errors.New(state)
	}
	return nil
}

// isolate cuts a node off from the others, or brings it back: whoever has a connection to it goes on having that.
func (h *house) isolate(ctx context.Context, k int, cut bool) error {
	db, err := sql.Open("mysql", databaseUser+":"+databasePassword+"@tcp("+h.nodes[k]+")/")
	if err != nil {
		return err
	}
	defer db.Close()
	how := map[bool]string{true: "1", false: "0"}[cut]
	_, err = db.ExecContext(ctx, "SET GLOBAL wsrep_provider_options = 'gmcast.isolate="+how+"'")
	return err
}

// openQueue begins a NATS cluster. Its servers know each other by lines that can be cut.
func (h *house) openQueue(ctx context.Context, p programs) error {
	free, err := ports(three * 3)
	if err != nil {
		return err
	}
	for k := range three {
		var routes []string
		for other := range three {
			if other == k {
				continue
			}
			l, err := h.line(at(free[3*other+1]))
			if err != nil {
				return err
			}
			h.between[k][1], h.between[other][0] = append(h.between[k][1], l), append(h.between[other][0], l)
			routes = append(routes, strconv.Quote("nats-route://"+l.address()))
		}
		name := fmt.Sprintf("queue-%d", k+1)
		dir, err := h.sub(name, nil)
		if err != nil {
			return err
		}
		config := filepath.Join(dir, "settings")
		text := fmt.Sprintf("listen: %q\nserver_name: %q\nhttp: %q\njetstream { store_dir: %q }\nping_interval: \"1s\"\nping_max: 2\ncluster {\n  name: ruvel\n  listen: %q\n  no_advertise: true\n  cluster_advertise: \"127.0.0.1:9\"\n  routes: [%s]\n}\n",
			at(free[3*k]), name, at(free[3*k+2]), dir, at(free[3*k+1]), strings.Join(routes, ", "))
		if err := os.WriteFile(config, []byte(text), 0o600); err != nil {
			return err
		}
		program, health := p.queue, "http://"+at(free[3*k+2])+"/healthz"
		h.queues[k] = &member{
			kind: "queue", name: name, dir: h.dir, command: func() *exec.Cmd { return exec.Command(program, "-c", config) },
			serves: func(ctx context.Context) error { return answers(ctx, health) },
		}
		h.nats[k] = at(free[3*k])
	}
	for _, m := range h.queues {
		if err := m.launch(); err != nil {
			return err
		}
	}
	for _, m := range h.queues {
		if err := m.wait(ctx); err != nil {
			return err
		}
	}
	return nil
}

// answers says whether an address answers well.
func answers(ctx context.Context, address string) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return err
	}
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	_, _ = io.Copy(io.Discard, answer.Body)
	if answer.StatusCode != http.StatusOK {
		return errors.New(answer.Status)
	}
	return nil
}

// openStore begins a store that is spoken to as to S3 and keeps files in a folder.
func (h *house) openStore(ctx context.Context, p programs) error {
	free, err := ports(1)
	if err != nil {
		return err
	}
	dir, err := h.sub("store", nil)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Join(dir, "originals"), 0o700); err != nil {
		return err
	}
	beside, err := h.sub("beside-store", nil) // what is known of files, which not every disk can keep with them
	if err != nil {
		return err
	}
	program := p.store
	h.storeAt = at(free[0])
	h.files = &member{
		kind: "store", name: "store", dir: h.dir,
		command: func() *exec.Cmd {
			return exec.Command(program, "--access", storeKey, "--secret", storeSecret, "--region", "eu", "--keep-alive", "--port", h.storeAt, "--health", "/health", "--quiet", "posix", "--sidecar", beside, dir)
		},
		serves: func(ctx context.Context) error { return answers(ctx, "http://"+h.storeAt+"/health") },
	}
	return h.files.begin(ctx)
}

var firstLink = regexp.MustCompile(`/join#(\S+)`)

// openRuvels begins three Ruvels, each with a folder of its own in which nothing lies that matters.
func (h *house) openRuvels(ctx context.Context, p programs) error {
	free, err := ports(three)
	if err != nil {
		return err
	}
	for k := range three {
		own := func(to string) (string, error) {
			l, err := h.line(to)
			if err != nil {
				return "", err
			}
			h.fromRuvel[k] = append(h.fromRuvel[k], l)
			return l.address(), nil
		}
		var nodes, servers []string
		for i := range three { // each has another one that it asks first
			node, err := own(h.nodes[(k+i)%three])
			if err != nil {
				return err
			}
			server, err := own(h.nats[(k+i)%three])
			if err != nil {
				return err
			}
			nodes, servers = append(nodes, node), append(servers, "nats://"+server)
		}
		store, err := own(h.storeAt)
		if err != nil {
			return err
		}
		if h.toRuvel[k], err = h.line(at(free[k])); err != nil {
			return err
		}
		name := fmt.Sprintf("ruvel-%d", k+1)
		dir, err := h.sub(name, nil)
		if err != nil {
			return err
		}
		bucket := url.Values{"endpoint": {"http://" + store}, "region": {"eu"}, "use_path_style": {"true"}}
		program := p.ruvel
		said := make(chan string, 1)
		m := &member{kind: "ruvel", name: name, dir: h.dir}
		m.command = func() *exec.Cmd {
			cmd := exec.Command(program, "serve", "--people", "--no-demo", "--data", dir, "--port", strconv.Itoa(free[k]), "--keep-free", "0",
				"--database", databaseUser+":"+databasePassword+"@tcp("+strings.Join(nodes, ",")+")/ruvel", "--nats", strings.Join(servers, ","), "--bucket", "s3://originals?"+bucket.Encode())
			cmd.Env = append(os.Environ(), "AWS_ACCESS_KEY_ID="+storeKey, "AWS_SECRET_ACCESS_KEY="+storeSecret, "AWS_EC2_METADATA_DISABLED=true", "GOMAXPROCS="+strconv.Itoa(max(1, p.cores)))
			cmd.Stdout = printed(said)
			return cmd
		}
		m.serves = func(ctx context.Context) error { return answers(ctx, "http://"+at(free[k])+"/api/health") }
		h.ruvels[k] = m
		if err := m.begin(ctx); err != nil {
			return err
		}
		select {
		case h.link = <-said: // the newest is good
		case <-time.After(10 * time.Second):
			return errors.New("no link for the first person was printed")
		}
	}
	return nil
}

// printed takes what a Ruvel prints, and hands on the link for the first person.
func printed(link chan<- string) io.Writer {
	r, w := io.Pipe()
	go func() {
		lines := bufio.NewScanner(r)
		for lines.Scan() {
			if m := firstLink.FindStringSubmatch(lines.Text()); m != nil {
				select {
				case link <- m[1]:
				default:
				}
			}
		}
	}()
	return w
}

// openFront begins the web server that everybody reaches: whoever is ready is asked in turn.
func (h *house) openFront(ctx context.Context, _ programs) error {
	free, err := ports(1)
	if err != nil {
		return err
	}
	h.address = "http://" + at(free[0])
	var servers strings.Builder
	for k, l := range h.toRuvel {
		fmt.Fprintf(&servers, "  server ruvel-%d %s\n", k+1, l.address())
	}
	text := fmt.Sprintf(`defaults
  mode http
  timeout connect 1s
  timeout client 1h
  timeout server 1h
  timeout check 1s
  option redispatch 1
  retries 2
frontend desk
  bind %s
  option forwardfor
  default_backend ruvels
backend ruvels
  balance roundrobin
  option httpchk
  http-check send meth GET uri /api/health hdr Host localhost
  default-server check inter 500ms fall 2 rise 1 on-marked-down shutdown-sessions
%s`, at(free[0]), servers.String())
	config := filepath.Join(h.dir, "front.cfg")
	if err := os.WriteFile(config, []byte(text), 0o600); err != nil {
		return err
	}
	h.front = &member{
		kind: "front", name: "front", dir: h.dir,
		command: func() *exec.Cmd { return exec.Command("haproxy", "-db", "-f", config) },
		serves:  func(ctx context.Context) error { return answers(ctx, h.address+"/api/health") },
	}
	return h.front.begin(ctx)
}
