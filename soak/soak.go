// Package soak parts the tests into those that are run before each commit and those that take long.
//
// "make test" runs one representative of each family of cases, "make soak" runs them all. A test that is left to the soak
// names the one that stands for it, so that "grep -rn soak.Only" lists what moved and what stays.
package soak

import (
	"os"
	"syscall"
	"testing"
	"time"
)

// Longest is how long anything may take that a test waits for: long enough for any machine that does other things beside.
const Longest = 3 * time.Minute

// Await waits until something holds, and fails the test where it does not come to hold within minutes. It asks again as soon
// as a moment has passed; how long it takes is no matter.
func Await(t testing.TB, what string, holds func() bool) {
	t.Helper()
	end := time.NewTimer(Longest)
	defer end.Stop()
	for again := time.NewTicker(5 * time.Millisecond); ; {
		if holds() {
			again.Stop()
			return
		}
		select {
		case <-again.C:
		case <-end.C:
			t.Fatalf("it never came: %s", what)
		}
	}
}

// Variable is the environment variable that "make soak" sets.
const Variable = "IRONTHREAD_WHOLE"

// Whole tells whether everything is to be run.
func Whole() bool { return os.Getenv(Variable) != "" }

// Only leaves a test to the soak; here says what stands for it in every run.
func Only(t testing.TB, here string) {
	t.Helper()
	if !Whole() {
		t.Skip("left to make soak; in every run: " + here)
	}
}

// Of gives what is to be tried: in every run what stands for all of them, in the soak all.
func Of[T any](stands, all []T) []T {
	if Whole() {
		return all
	}
	return stands
}

// Count gives how many times something drawn by chance is to be tried.
func Count(here, all int) int {
	if Whole() {
		return all
	}
	return here
}

// Kinds tells which cases stand for the others: in every run the first of each kind, in the soak all. It is for one
// goroutine.
type Kinds map[string]bool

// Stands tells whether a case of a kind is to be tried.
func (k Kinds) Stands(kind string) bool {
	if Whole() {
		return true
	}
	known := k[kind]
	k[kind] = true
	return !known
}

// InMemory is a folder in the machine's memory for databases that a test throws away: making one there takes a fifth of the time. It
// is empty, which means the usual place, where there is none or too little room for what the tests of several packages keep at once.
func InMemory() string {
	const folder, least = "/dev/shm", 6 << 30 // bytes
	var at syscall.Statfs_t
	if err := syscall.Statfs(folder, &at); err != nil || at.Bavail*uint64(at.Bsize) < least {
		return ""
	}
	return folder
}
