package database

import (
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// How long a process is given to end after it was asked to. One that is asked while it is
// still starting may never end by itself.
const endPatience = 20 * time.Second

// endOrphans ends what runs on these files although the program that started it is gone,
// killed in the very moment of starting it perhaps. Whoever starts a server here has the
// folder to itself, so nobody needs it.
func (p place) endOrphans() {
	for _, pid := range p.orphans() {
		slog.Warn("a database server that nobody uses any more runs on these files and is ended", "process", pid)
		_ = syscall.Kill(pid, syscall.SIGTERM)
		until := time.Now().Add(endPatience)
		for p.runs(pid) && time.Now().Before(until) {
			time.Sleep(20 * time.Millisecond)
		}
		if p.runs(pid) {
			_ = syscall.Kill(pid, syscall.SIGKILL) // what it has answered is on the disk
		}
	}
}

// orphans are the servers on these files whose parent is no program like this one.
func (p place) orphans() (out []int) {
	entries, err := os.ReadDir("/proc")
	if err != nil {
		return nil // where processes cannot be listed, there is nothing to be done
	}
	for _, e := range entries {
		if pid, err := strconv.Atoi(e.Name()); err == nil && p.runs(pid) && !hasOurParent(pid) {
			out = append(out, pid)
		}
	}
	return out
}

// runs says whether a process is a server on these files.
func (p place) runs(pid int) bool {
	words, err := os.ReadFile(filepath.Join("/proc", strconv.Itoa(pid), "cmdline"))
	return err == nil && strings.HasPrefix(string(words), "mariadbd\x00") && strings.Contains(string(words), "\x00--datadir="+p.data()+"\x00")
}

// hasOurParent says whether a process was started by a program like this one that still runs.
func hasOurParent(pid int) bool {
	stat, err := os.ReadFile(filepath.Join("/proc", strconv.Itoa(pid), "stat"))
	if err != nil {
		return true // it is gone, or not ours to judge
	}
	_, rest, _ := strings.Cut(string(stat), ") ") // its name may hold anything
	fields := strings.Fields(rest)
	if len(fields) < 2 {
		return true
	}
	ours, err := os.Readlink("/proc/self/exe")
	if err != nil {
		return true
	}
	parent, err := os.Readlink(filepath.Join("/proc", fields[1], "exe"))
	return err == nil && parent == ours
}
