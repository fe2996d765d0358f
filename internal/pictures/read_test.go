package pictures_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"
)

func read(t *testing.T, path string) []byte {
	t.Helper()
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	return data
}
