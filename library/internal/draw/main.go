// Command draw makes the drawings that ship with the library: run "go generate ./library" where a circuit or the rules of
// drawing have changed.
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"ironthread/core/sheet"
	"ironthread/library"
)

func main() {
	if err := draw("drawn"); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func draw(dir string) error {
	entries, err := library.All()
	if err != nil {
		return err
	}
	for _, e := range entries {
		b, err := sheet.Draw(e.Circuit).Keep()
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, e.Name+".json.gz"), b, 0o644); err != nil {
			return err
		}
	}
	return nil
}
