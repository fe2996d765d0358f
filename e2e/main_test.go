package e2e

import (
	"context"
	"testing"

	"ruvel/internal/demo"
	"ruvel/testkit/dbtest"
	"ruvel/testkit/housetest"
)

// base is the address of a server with the sample series, shared by the tests of this package; house is the server itself.
var (
	base  string
	house housetest.House
)

func TestMain(m *testing.M) {
	housetest.MainAlone(m, func(h housetest.House) error {
		base, house = h.Address, h
		_, err := demo.Fill(context.Background(), h.Store, h.Sounds, h.Bucket, func(string) {})
		return err
	}, closeShared, removeBuilt, dbtest.Tidy)
}
