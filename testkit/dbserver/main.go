// Command dbserver runs one MariaDB server for all packages that are tested in a run: each test
// has a database of its own on it. It writes the server's data source name and ends with its input.
package main

import (
	"context"
	"fmt"
	"io"
	"os"

	"github.com/go-sql-driver/mysql"
	"github.com/jmoiron/sqlx"

	"ruvel/internal/database"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	dir, err := os.MkdirTemp("", "ruvel-databases")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o711); err != nil { // the server runs as a user of its own
		return err
	}
	server, err := database.Start(context.Background(), dir)
	if err != nil {
		return err
	}
	defer server.Stop()
	dsn, err := open(server)
	if err != nil {
		return err
	}
	fmt.Println(dsn)
	_, err = io.Copy(io.Discard, os.Stdin)
	return err
}

// open gives the name by which other processes reach the server. What it writes need not survive a loss of power.
func open(server *database.Server) (string, error) {
	dsn, err := server.DSN(context.Background(), "test")
	if err != nil {
		return "", err
	}
	db, err := sqlx.Connect("mysql", dsn)
	if err != nil {
		return "", err
	}
	defer db.Close()
	if _, err := db.Exec("SET GLOBAL innodb_flush_log_at_trx_commit = 0"); err != nil {
		return "", err
	}
	var port int
	if err := db.Get(&port, "SELECT @@port"); err != nil {
		return "", err
	}
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		return "", err
	}
	c.Net, c.Addr, c.DBName = "tcp", fmt.Sprintf("127.0.0.1:%d", port), ""
	return c.FormatDSN(), nil
}
