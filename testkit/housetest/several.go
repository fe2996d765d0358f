package housetest

import (
	"fmt"
	"net"
	"net/http"
	"reflect"

	"ruvel/internal/access"
	"ruvel/internal/library"
	"ruvel/internal/notes"
	"ruvel/internal/outside"
	"ruvel/internal/people"
	"ruvel/internal/server"
	"ruvel/internal/turns"
	"ruvel/internal/uploads"
)

// Station is a house at which people sign in: what it keeps and works with is that of a house with one person, which goes on beside it.
type Station struct {
	*server.Server
	Address string
}

// Several opens a station in a house, until the tests end.
func (h House) Several(elsewhere outside.Settings) (*Station, error) {
	st := &Station{Server: &server.Server{}}
	from, to := reflect.ValueOf(h.Server).Elem(), reflect.ValueOf(st.Server).Elem()
	for i := range from.NumField() {
		if to.Type().Field(i).IsExported() {
			to.Field(i).Set(from.Field(i))
		}
	}
	st.Turns = turns.New(1)
	st.Access = &access.Door{Owners: h.Store, People: true}
	st.Library = &library.Library{
		Door: st.Access, Store: h.Store, Sounds: h.Sounds, Plans: h.Plans, Worker: h.Worker, Queue: h.Queue, Shelf: h.Shelf, MaxUpload: h.Library.MaxUpload,
	}
	st.Uploads = uploads.New(h.Store, h.Worker, st.Access, h.Uploads.Most, h.Space)
	st.Notes = &notes.Notes{Store: h.Store, Queue: h.Queue, Door: st.Access}
	st.Outside = outside.New(elsewhere)
	var err error
	if st.People, err = people.New(h.Store); err != nil {
		return nil, err
	}
	l, err := server.Listen(0)
	if err != nil {
		return nil, err
	}
	st.Address = fmt.Sprintf("http://127.0.0.1:%d", l.Addr().(*net.TCPAddr).Port)
	go func() { _ = http.Serve(l, st.Handler()) }()
	return st, nil
}
