package demo

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"ironthread/core/printed"
	"ironthread/demo/pages"
	"ironthread/library"
	"ironthread/store"
)

// The twin circuit has its page in the demo, with each pin where it stands on it; and there are pages to try for oneself, one of them
// photographed askew.

// printPage lays the page of an invented manual on a circuit.
func printPage(ctx context.Context, keep *store.Store) error {
	scene := pages.Twin()
	jpeg, err := pages.JPEG(scene.Draw())
	if err != nil {
		return fmt.Errorf("demo: the page: %w", err)
	}
	places := printed.Places{}
	put := func(name string, at pages.Point) {
		places[name] = printed.Spot{Page: 1, X: at.X * printed.Whole / scene.Wide, Y: at.Y * printed.Whole / scene.High}
	}
	for _, p := range scene.Parts {
		put(p.Name, p.At)
		for _, pin := range p.Pins {
			put(p.Name+"."+pin.Name, pin.At)
		}
	}
	e, err := library.Open(twin)
	if err != nil {
		return err
	}
	h, err := keep.HarnessNamed(ctx, twin)
	if err != nil {
		return err
	}
	return keep.PutPages(ctx, h, []store.PrintedPage{{Number: 1, Width: scene.Wide, Height: scene.High, JPEG: jpeg}},
		places.Of(e.Circuit))
}

// askew is by how many degrees the photographed page lies on the table.
const askew = 9

// Pages writes pages to be tried into a folder: as it was printed, as a phone takes it, and a PDF of two.
func Pages(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return fmt.Errorf("demo: pages: %w", err)
	}
	drawn := pages.Twin().Draw()
	straight, err := pages.JPEG(drawn)
	if err != nil {
		return fmt.Errorf("demo: pages: %w", err)
	}
	photo, err := pages.JPEG(pages.Photographed(drawn, askew))
	if err != nil {
		return fmt.Errorf("demo: pages: %w", err)
	}
	pdf, err := pages.PDF(drawn, drawn)
	if err != nil {
		return fmt.Errorf("demo: pages: %w", err)
	}
	for name, b := range map[string][]byte{"printed.jpg": straight, "photographed.jpg": photo, "manual.pdf": pdf} {
		if err := os.WriteFile(filepath.Join(dir, name), b, 0o644); err != nil {
			return fmt.Errorf("demo: pages: %w", err)
		}
	}
	return nil
}
