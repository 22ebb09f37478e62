package demo

import (
	"bytes"
	"context"
	"embed"
	"fmt"
	"image/jpeg"
	"os"
	"path/filepath"

	"ironthread/core/printed"
	"ironthread/demo/pages"
	"ironthread/library"
	"ironthread/store"
)

// Three circuits of the demo have their pages, each pin where it stands on them: one as it was printed, one photographed askew under a
// shadow and straightened by its corners, one on two pages of a PDF. The pages lie in a folder, too, to be tried for oneself.

//go:generate go run ./internal/print

//go:embed printed
var pictures embed.FS

// laid are the pages of a circuit.
type laid struct {
	circuit string
	scenes  []*pages.Scene
	files   []string
}

func allLaid() []laid {
	staged := pages.Staged()
	return []laid{
		{twin, []*pages.Scene{pages.Twin()}, []string{"twin.jpg"}},
		{"f1-one-relay", []*pages.Scene{pages.OneRelay()}, []string{"one-relay.jpg"}},
		{"f2-staged-pair", staged[:], []string{"staged-1.jpg", "staged-2.jpg"}},
	}
}

// lay puts the pages on their circuits.
func lay(ctx context.Context, keep *store.Store) error {
	for _, l := range allLaid() {
		e, err := library.Open(l.circuit)
		if err != nil {
			return err
		}
		h, err := keep.HarnessNamed(ctx, l.circuit)
		if err != nil {
			return err
		}
		var list []store.PrintedPage
		for n, name := range l.files {
			b, err := pictures.ReadFile("printed/" + name)
			if err != nil {
				return fmt.Errorf("demo: %w", err)
			}
			size, err := jpeg.DecodeConfig(bytes.NewReader(b))
			if err != nil {
				return fmt.Errorf("demo: %s: %w", name, err)
			}
			list = append(list, store.PrintedPage{Number: n + 1, Width: size.Width, Height: size.Height, JPEG: b})
		}
		if err := keep.PutPages(ctx, h, list, l.places().Of(e.Circuit)); err != nil {
			return err
		}
	}
	return nil
}

// places are where parts and pins stand; what stands on two pages, on the first of them.
func (l *laid) places() printed.Places {
	places := printed.Places{}
	for n, scene := range l.scenes {
		put := func(name string, at pages.Point) {
			if _, there := places[name]; !there {
				places[name] = printed.Spot{Page: n + 1, X: at.X * printed.Whole / scene.Wide, Y: at.Y * printed.Whole / scene.High}
			}
		}
		for _, p := range scene.Parts {
			put(p.Name, p.At)
			for _, pin := range p.Pins {
				put(p.Name+"."+pin.Name, pin.At)
			}
		}
	}
	return places
}

// Pages writes pages to be tried into a folder: as it was printed, as a phone takes it, and a PDF of two.
func Pages(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return fmt.Errorf("demo: pages: %w", err)
	}
	staged := pages.Staged()
	pdf, err := pages.PDF(staged[0].Draw(), staged[1].Draw())
	if err != nil {
		return fmt.Errorf("demo: pages: %w", err)
	}
	files := map[string][]byte{"manual.pdf": pdf}
	for to, from := range map[string]string{"printed.jpg": "twin.jpg", "photographed.jpg": "one-relay-photographed.jpg"} {
		if files[to], err = pictures.ReadFile("printed/" + from); err != nil {
			return fmt.Errorf("demo: pages: %w", err)
		}
	}
	for name, b := range files {
		if err := os.WriteFile(filepath.Join(dir, name), b, 0o644); err != nil {
			return fmt.Errorf("demo: pages: %w", err)
		}
	}
	return nil
}
