// Command structure draws which packages and folders of Ruvel rest on which, as they stand: docs/structure.svg. It asks "go list" for the
// packages and reads the imports of ui/src, so the picture is never older than the code; a test holds it against that.
package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"regexp"
	"strings"
)

func main() {
	if err := write(".", "docs/structure.svg"); err != nil {
		fmt.Fprintln(os.Stderr, "structure:", err)
		os.Exit(1)
	}
}

func write(root, to string) error {
	picture, err := structure(root)
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(root, to), picture, 0o644)
}

// structure draws the code that lies in a folder.
func structure(root string) ([]byte, error) {
	packages, err := goPackages(root)
	if err != nil {
		return nil, err
	}
	folders, err := pageFolders(filepath.Join(root, "ui/src"))
	if err != nil {
		return nil, err
	}
	return draw([]part{
		{"Go packages: each rests on those below it", packages},
		{"Folders of ui/src: each rests on those below it; what comes when it is opened does not count", folders},
	}), nil
}

// graph is who rests on whom, by name.
type graph map[string][]string

// goPackages are those that make the program, without what only tests use.
func goPackages(root string) (graph, error) {
	list := exec.Command("go", "list", "-json=ImportPath,Imports", "./cmd/...", "./core/...", "./internal/...")
	list.Dir, list.Stderr = root, os.Stderr
	out, err := list.Output()
	if err != nil {
		return nil, fmt.Errorf("list the packages: %w", err)
	}
	g := graph{}
	for read := json.NewDecoder(bytes.NewReader(out)); ; {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := read.Decode(&p); err == io.EOF {
			return g, nil
		} else if err != nil {
			return nil, fmt.Errorf("read the list of packages: %w", err)
		}
		name := strings.TrimPrefix(p.ImportPath, "ruvel/")
		g[name] = []string{}
		for _, i := range p.Imports {
			if own, is := strings.CutPrefix(i, "ruvel/"); is && own != "ui" {
				g[name] = append(g[name], own)
			}
		}
	}
}

// imported is where a script or a component says what it rests on from the beginning.
var imported = regexp.MustCompile(`(?m)^(?:import|export) [^;]*?from "(\.[^"]+)"`)

// pageFolders are the folders of the page with the imports of all files in them.
func pageFolders(src string) (graph, error) {
	found := map[string]map[string]bool{}
	err := filepath.WalkDir(src, func(file string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || !strings.HasSuffix(file, ".ts") && !strings.HasSuffix(file, ".vue") {
			return err
		}
		text, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		relative, err := filepath.Rel(src, file)
		if err != nil {
			return err
		}
		from := folderOf(filepath.ToSlash(relative))
		if found[from] == nil {
			found[from] = map[string]bool{}
		}
		for _, m := range imported.FindAllSubmatch(text, -1) {
			to := folderOf(path.Join(path.Dir(filepath.ToSlash(relative)), string(m[1])))
			if to != from {
				found[from][to] = true
			}
		}
		return nil
	})
	g := graph{}
	for from, to := range found {
		g[from] = []string{}
		for name := range to {
			g[from] = append(g[from], name)
		}
	}
	return g, err
}

// folderOf is the folder that a file lies in; what lies in none is the page itself.
func folderOf(file string) string {
	if dir := path.Dir(file); dir != "." {
		return dir
	}
	return "main"
}
