package server

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"ruvel/internal/access"
	"ruvel/internal/store"
)

// Roles is the table of all operations with who may do what, in Markdown, made of what the door goes by.
func Roles() []byte {
	s := &Server{}
	described := humachi.New(chi.NewRouter(), Config())
	s.register(described)
	type row struct{ route, id, summary string }
	rows := map[access.Right][]row{}
	for path, item := range described.OpenAPI().Paths {
		for _, op := range []*huma.Operation{item.Get, item.Put, item.Post, item.Patch, item.Delete} {
			if op != nil {
				right := rightFor(op.OperationID)
				rows[right] = append(rows[right], row{op.Method + " " + path, op.OperationID, op.Summary})
			}
		}
	}
	roles := []store.Role{store.Owner, store.Producer, store.Reader, store.Listener}
	var out bytes.Buffer
	out.WriteString("# Who may do what\n\nMade by `ruvel describe docs` of what the door goes by, and held against what the server answers by its tests. Where there is one person, they may do everything.\n\n" +
		"Of a show that somebody is not of they learn nothing: whatever they name in it does not exist (404). Who is of a show and may not do something is told so in words (403). Who has not signed in gets no further than the first rows (401).\n")
	for _, right := range access.Rights() {
		all := rows[right]
		slices.SortFunc(all, func(a, b row) int { return strings.Compare(a.id, b.id) })
		fmt.Fprintf(&out, "\n## %s\n\n", titles[right])
		if right != access.Free && right != access.Signed && right != access.Keep {
			var who []string
			for _, role := range roles {
				if access.May(role, right) {
					who = append(who, string(role))
				}
			}
			fmt.Fprintf(&out, "For: **%s**.\n\n", strings.Join(who, ", "))
		}
		out.WriteString("| route | what it does |\n| --- | --- |\n")
		for _, r := range all {
			fmt.Fprintf(&out, "| `%s` | %s |\n", r.route, r.summary)
		}
	}
	return out.Bytes()
}

// titles say of each right whom it is for, or what.
var titles = map[access.Right]string{
	access.Free: "Whoever reaches the port", access.Signed: "Whoever has signed in", access.Keep: "Who looks after this Ruvel", access.Belong: "Everybody of the show",
	access.Hear: "Hearing", access.Note: "Noting at places", access.Read: "Scripts and recording them; of takes, who only reads has their own", access.Make: "Everything on episodes; layouts are the owners'",
	access.Own: "People, house sound, feed, removal",
}
