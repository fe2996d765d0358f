package main

import (
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const said = `{"Action":"start","Package":"ruvel/core/fade"}
{"Action":"run","Package":"ruvel/core/fade","Test":"TestA"}
{"Action":"output","Package":"ruvel/core/fade","Test":"TestA","Output":"    a_test.go:1: it is silent\n"}
{"Action":"fail","Package":"ruvel/core/fade","Test":"TestA","Elapsed":2}
{"Action":"run","Package":"ruvel/core/fade","Test":"TestB"}
{"Action":"output","Package":"ruvel/core/fade","Test":"TestB","Output":"nobody wants to know\n"}
{"Action":"pass","Package":"ruvel/core/fade","Test":"TestB/part","Elapsed":3}
{"Action":"pass","Package":"ruvel/core/fade","Test":"TestB","Elapsed":3}
{"Action":"output","Package":"ruvel/core/fade","Output":"FAIL\truvel/core/fade\t5.0s\n"}
{"Action":"fail","Package":"ruvel/core/fade","Elapsed":5}
{"Action":"pass","Package":"ruvel/core/pan","Elapsed":1}
{"ImportPath":"ruvel/core/mix [ruvel/core/mix.test]","Action":"build-output","Output":"mix.go:1: no such thing\n"}
{"Action":"fail","Package":"ruvel/core/mix","Elapsed":0,"FailedBuild":"ruvel/core/mix [ruvel/core/mix.test]"}
go: warning
`

func TestWhatFailedIsToldInFullAndTheRestInALine(t *testing.T) {
	r := run{output: map[string]*strings.Builder{}}
	var out strings.Builder
	require.NoError(t, r.read(strings.NewReader(said), &out))
	assert.Equal(t, "    a_test.go:1: it is silent\nFAIL\truvel/core/fade\t5.0s\nok  \truvel/core/pan\t1.0s\nmix.go:1: no such thing\nFAIL\truvel/core/mix\ngo: warning\n", out.String())
	assert.Equal(t, []int{1, 1, 0}, []int{r.passed, r.failed, r.skipped})
	out.Reset()
	r.summary(&out, 1)
	assert.Equal(t, "The packages that took longest, in seconds:\n     5.0  core/fade\nThe tests that took longest, in seconds:\n     3.0  core/fade TestB\n", out.String())
}

func TestATestThatIsUnderWayWhenItsPackageEndsHasFailed(t *testing.T) {
	r := run{output: map[string]*strings.Builder{}}
	require.NoError(t, r.read(strings.NewReader(`{"Action":"output","Package":"ruvel/core/fade","Test":"TestA","Output":"panic\n"}
{"Action":"fail","Package":"ruvel/core/fade","Elapsed":5}
`), io.Discard))
	assert.Equal(t, 1, r.failed)
}
