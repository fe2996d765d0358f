package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	_ "github.com/go-sql-driver/mysql" // by which the nodes are asked
)

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
		h.nodes[k] = at(free[4*k])
		m := &member{kind: "database", name: fmt.Sprintf("database-%d", k+1), dir: h.dir, owner: as}
		m.command = node{name: m.name, dir: dir, ports: free[4*k : 4*k+4], all: all, first: k == 0}.command()
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

// node is how a node of the database is begun.
type node struct {
	name, dir string
	ports     []int // for who asks it, for the others, and for what is handed over to one that comes back: some of it, or all
	all       []string
	first     bool // it is no one's to join, the first time
}

func (n node) command() func() *exec.Cmd {
	port, group, state, transfer := n.ports[0], n.ports[1], n.ports[2], n.ports[3]
	return func() *exec.Cmd {
		to := "gcomm://" + strings.Join(n.all, ",")
		args := []string{
			"--no-defaults", "--datadir=" + n.dir, "--socket=s", "--pid-file=" + filepath.Join(n.dir, "pid"), "--bind-address=127.0.0.1", "--port=" + strconv.Itoa(port), "--skip-name-resolve",
			"--max-allowed-packet=64M", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin", "--innodb-buffer-pool-size=128M", "--innodb-log-file-size=64M",
			"--binlog-format=ROW", "--innodb-autoinc-lock-mode=2", "--innodb-flush-log-at-trx-commit=2",
			"--wsrep-on=ON", "--wsrep-provider=" + provider, "--wsrep-cluster-name=ruvel", "--wsrep-node-name=" + n.name, "--wsrep-node-address=" + at(group),
			"--wsrep-sst-method=rsync", "--wsrep-sst-receive-address=" + at(transfer), "--wsrep-slave-threads=2",
			"--wsrep-provider-options=base_port=" + strconv.Itoa(group) + ";gmcast.listen_addr=tcp://" + at(group) + ";ist.recv_addr=" + at(state) +
				";gcache.size=128M;evs.keepalive_period=PT0.5S;evs.inactive_check_period=PT0.3S;evs.suspect_timeout=PT1.5S;evs.inactive_timeout=PT3S;evs.install_timeout=PT3S",
		}
		if n.first {
			to, args = "gcomm://", append(args, "--wsrep-new-cluster")
			n.first = false
		}
		cmd := exec.Command("mariadbd", append(args, "--wsrep-cluster-address="+to)...)
		cmd.Dir = n.dir
		cmd.Env = append(os.Environ(), "UMASK=0600", "UMASK_DIR=0700")
		return cmd
	}
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
