// Package scripts holds what sets a machine up. Its tests see to it that a new one lacks nothing.
package scripts

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"mvdan.cc/sh/v3/syntax"
)

// there is what needs no installing: what the README asks for, and what the smallest Debian holds
// (the packages that are essential, by the programs of them that are called here).
var there = strings.Fields(`go node npm
	apt-get awk basename bash cat chmod chroot cmp cp cut dirname env find grep head id install kill ln ls mkdir mkfifo mktemp mount mv nice pwd
	readlink rm sed seq sh sha256sum sleep sort tail tee touch tr umount uniq wc xargs`)

// with are programs that come in the package of another.
var with = map[string]string{"ffprobe": "ffmpeg", "soxi": "sox", "mariadb-install-db": "mariadbd", "mariadb": "mariadbd", "mariadb-dump": "mariadbd", "prlimit": "prlimit", "unshare": "prlimit"}

// calls are the programs that something calls, each with where it does.
type calls map[string]string

func TestWhatIsCalledIsInstalledBeforeItIsCalled(t *testing.T) {
	script := func(name string) (installs []string, called calls) {
		called = calls{}
		data, err := os.ReadFile(filepath.Join("..", name))
		require.NoError(t, err)
		return called.shell(t, name, string(data)), called
	}
	setup, shared := script("scripts/setup.sh")
	code, tests, cluster := calls{}, calls{}, calls{}
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && slices.Contains([]string{"node_modules", ".git", "var"}, d.Name()):
			return filepath.SkipDir
		case !strings.HasSuffix(path, ".go"):
			return nil
		}
		into := code
		if strings.HasSuffix(path, "_test.go") || strings.HasPrefix(path, "../testkit/") || strings.HasPrefix(path, "../e2e/") || strings.HasPrefix(path, "../cluster/") {
			into = tests
		}
		into.golang(t, path)
		if strings.HasPrefix(path, "../cluster/") {
			cluster.golang(t, path)
		}
		return nil
	}))
	require.Contains(t, code, "ffmpeg", "programs are found that stand in a list")
	require.Contains(t, code, "mariadbd")
	require.Contains(t, tests, "flite")
	require.Contains(t, tests, "flac", "programs are found that are put into a variable")

	for name, also := range map[string][]calls{"start": {shared, code}, "test": {shared, code, tests}, "scripts/fresh": {shared}, "cluster/try": {shared, cluster}, ".ci/run": nil} {
		installed, called := script(name)
		require.True(t, name == ".ci/run" || len(installed) > 0, "%s installs what it needs", name)
		for _, c := range append(also, called) {
			for program, where := range c {
				known := slices.Concat(there, setup, installed)
				assert.True(t, slices.Contains(known, program) || slices.Contains(known, with[program]),
					"%s: %s is called, and %s does not install it", where, program, name)
			}
		}
	}
}

// golang adds what a file of Go starts: the program of every exec.Command and LookPath. Where that is no
// word but a variable, all words that the variable is given in this function count.
func (c calls) golang(t *testing.T, path string) {
	t.Helper()
	files := token.NewFileSet()
	file, err := parser.ParseFile(files, path, nil, 0)
	require.NoError(t, err)
	for _, declared := range file.Decls {
		ast.Inspect(declared, func(n ast.Node) bool {
			call, ok := n.(*ast.CallExpr)
			if !ok {
				return true
			}
			at, known := map[string]int{"exec.Command": 0, "exec.LookPath": 0, "exec.CommandContext": 1}[called(call)]
			if called(call) == "command" && file.Name.Name == "media" { // which bounds what it starts
				at, known = 2, true
			}
			if !known || len(call.Args) <= at {
				return true
			}
			where := path + ":" + strconv.Itoa(files.Position(call.Pos()).Line)
			words := wordsOf(call.Args[at], declared)
			for _, w := range words {
				c[w] = where
			}
			if slices.Contains(words, "sh") { // which is given a script
				for _, a := range call.Args[at+1:] {
					for _, s := range wordsOf(a, nil) {
						if s != "-c" {
							c.shell(t, where, s)
						}
					}
				}
			}
			_, variable := call.Args[at].(*ast.Ident)
			_, field := call.Args[at].(*ast.SelectorExpr)
			assert.True(t, len(words) > 0 || variable || field, "%s: it cannot be seen which program this starts", where)
			return true
		})
	}
}

// called is the name by which something is called.
func called(call *ast.CallExpr) string {
	switch f := call.Fun.(type) {
	case *ast.Ident:
		return f.Name
	case *ast.SelectorExpr:
		if x, ok := f.X.(*ast.Ident); ok {
			return x.Name + "." + f.Sel.Name
		}
	}
	return ""
}

// wordsOf are the words that an expression stands for: itself, or what a loop goes through for it.
func wordsOf(e ast.Expr, within ast.Node) (out []string) {
	literals := func(n ast.Node) {
		ast.Inspect(n, func(n ast.Node) bool {
			if l, ok := n.(*ast.BasicLit); ok && l.Kind == token.STRING {
				if s, err := strconv.Unquote(l.Value); err == nil {
					out = append(out, s)
				}
			}
			return true
		})
	}
	name, variable := e.(*ast.Ident)
	if !variable {
		if _, ok := e.(*ast.BasicLit); ok {
			literals(e)
		}
		return out
	}
	if within == nil {
		return nil
	}
	ast.Inspect(within, func(n ast.Node) bool {
		if r, ok := n.(*ast.RangeStmt); ok {
			if v, ok := r.Value.(*ast.Ident); ok && v.Name == name.Name {
				literals(r.X)
			}
		}
		return true
	})
	return out
}

// shell adds what a script calls, and gives what it installs. Its own functions are no programs.
func (c calls) shell(t *testing.T, name, script string) (installs []string) {
	t.Helper()
	file, err := syntax.NewParser().Parse(strings.NewReader(script), name)
	require.NoError(t, err)
	own := strings.Fields(`. : [ break cd command continue echo eval exec exit export false local need printf read return set shift source test toolchain front_end mapfile trap true type unset wait`)
	syntax.Walk(file, func(n syntax.Node) bool {
		if f, ok := n.(*syntax.FuncDecl); ok {
			own = append(own, f.Name.Value)
		}
		return true
	})
	syntax.Walk(file, func(n syntax.Node) bool {
		call, ok := n.(*syntax.CallExpr)
		if !ok || len(call.Args) == 0 {
			return true
		}
		words := make([]string, len(call.Args))
		for i, a := range call.Args {
			words[i] = a.Lit()
		}
		if words[0] == "need" {
			for _, pair := range words[1:] {
				program, pkg, paired := strings.Cut(pair, "=")
				require.True(t, paired && pkg != "", "%s: %q names no package", name, pair)
				installs = append(installs, program)
			}
		}
		if p := words[0]; p != "" && !strings.Contains(p, "/") && !slices.Contains(own, p) {
			c[p] = name
		}
		return true
	})
	return installs
}
