// Package library holds the harness files that ship with the application.
package library

import (
	"embed"
	"fmt"
	"path"
	"strings"

	"ironthread/core/harness"
)

//go:embed *.harness.yaml
var files embed.FS

// Suffix is the extension of a harness file.
const Suffix = ".harness.yaml"

// Entry is one shipped harness: its name, its text, and the circuit the text describes.
type Entry struct {
	Name    string // "f3-twin-series-parallel"
	Text    []byte
	Circuit *harness.Circuit
}

// All reads every shipped harness, sorted by name.
func All() ([]Entry, error) {
	found, err := files.ReadDir(".")
	if err != nil {
		return nil, fmt.Errorf("library: %w", err)
	}
	var entries []Entry
	for _, f := range found {
		e, err := Open(strings.TrimSuffix(path.Base(f.Name()), Suffix))
		if err != nil {
			return nil, err
		}
		entries = append(entries, e)
	}
	return entries, nil
}

// Open reads one shipped harness by name.
func Open(name string) (Entry, error) {
	text, err := files.ReadFile(name + Suffix)
	if err != nil {
		return Entry{}, fmt.Errorf("library: there is no harness %q", name)
	}
	c, err := harness.Read(text)
	if err != nil {
		return Entry{}, fmt.Errorf("library: %s: %w", name, err)
	}
	return Entry{Name: name, Text: text, Circuit: c}, nil
}
