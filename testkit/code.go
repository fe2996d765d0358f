package testkit

import (
	"testing"

	"github.com/stretchr/testify/require"

	"ruvel/core/problem"
)

// Code is the code of the problem that an error is.
func Code(t testing.TB, err error) string {
	t.Helper()
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	return p.Code
}
