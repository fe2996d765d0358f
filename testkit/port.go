package testkit

import (
	"fmt"
	"math/rand/v2"
	"net"
	"testing"

	"github.com/stretchr/testify/require"
)

// Port is a free port that stays free while whoever listens on it is started again: below
// those that the system gives to connections.
func Port(t testing.TB) int {
	t.Helper()
	for range 100 {
		port := 20000 + rand.IntN(12000)
		if l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port)); err == nil {
			require.NoError(t, l.Close())
			return port
		}
	}
	require.Fail(t, "no port is free")
	return 0
}
