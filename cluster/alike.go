package main

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"time"
)

// compared are the tables that hold what people have made.
var compared = []string{"shows", "episodes", "history", "takes", "sounds", "mixdowns", "people", "members"}

// alike says whether all nodes of the database have the same, once they have had time for it.
func (h *house) alike(ctx context.Context) (bool, error) {
	for try := 0; ; try++ {
		var all []string
		for _, node := range h.nodes {
			sums, err := checksums(ctx, node)
			if err != nil {
				return false, err
			}
			all = append(all, sums)
		}
		if len(slices.Compact(all)) == 1 {
			return true, nil
		}
		if try == 20 {
			return false, fmt.Errorf("%q", all)
		}
		pause(ctx, 250*time.Millisecond)
	}
}

func checksums(ctx context.Context, node string) (out string, err error) {
	db, err := sql.Open("mysql", databaseUser+":"+databasePassword+"@tcp("+node+")/ruvel")
	if err != nil {
		return "", err
	}
	defer db.Close()
	for _, table := range compared {
		var name string
		var sum sql.NullInt64
		if err := db.QueryRowContext(ctx, "CHECKSUM TABLE "+table).Scan(&name, &sum); err != nil {
			return "", err
		}
		out += fmt.Sprintf("%s %d ", table, sum.Int64)
	}
	return out, nil
}
