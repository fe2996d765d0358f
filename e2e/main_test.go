package e2e

import (
	"context"
	"testing"

	"ruvel/internal/demo"
	"ruvel/testkit/housetest"
)

// base is the address of a server with the sample series, shared by the tests of this package.
var base string

func TestMain(m *testing.M) {
	housetest.Main(m, func(h housetest.House) error {
		base = h.Address
		_, err := demo.Fill(context.Background(), h.Store, h.Sounds, func(string) {})
		return err
	})
}
