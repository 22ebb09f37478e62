// Package library holds the harness files that ship with the application.
package library

import (
	"embed"
	"fmt"
	"path"
	"strings"
	"sync"

	"ironthread/core/harness"
)

//go:embed *.harness.yaml drawn/*.json.gz
var files embed.FS

//go:generate go run ./internal/draw

// Drawn gives the kept drawing (see sheet.Keep) of a shipped harness by its text; nil where the text is none of them.
func Drawn(text string) []byte {
	name, ok := named()[text]
	if !ok {
		return nil
	}
	b, err := files.ReadFile("drawn/" + name + ".json.gz")
	if err != nil {
		return nil // one that has been added and not yet drawn
	}
	return b
}

// named finds a shipped harness by its text.
var named = sync.OnceValue(func() map[string]string {
	names := map[string]string{}
	found, _ := files.ReadDir(".") // embedded: it is there
	for _, f := range found {
		if name, ok := strings.CutSuffix(f.Name(), Suffix); ok {
			text, _ := files.ReadFile(f.Name())
			names[string(text)] = name
		}
	}
	return names
})

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
		if f.IsDir() {
			continue
		}
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
