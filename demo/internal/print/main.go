// Command print makes the pages that ship with the demo: run "go generate ./demo" where a scene has changed. The page of the one-relay
// circuit is photographed askew and straightened by its corners, as a person does it.
package main

import (
	"context"
	"fmt"
	"image"
	"os"
	"path/filepath"

	"ironthread/demo/pages"
	"ironthread/web/room"
)

// askew is by how many degrees the photographed page lies on the table.
const askew = 9

func main() {
	if err := draw("printed"); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func draw(dir string) error {
	staged := pages.Staged()
	for name, scene := range map[string]*pages.Scene{"twin": pages.Twin(), "staged-1": staged[0], "staged-2": staged[1]} {
		if err := keep(filepath.Join(dir, name+".jpg"), scene.Draw()); err != nil {
			return err
		}
	}
	page := pages.OneRelay().Draw()
	photograph := filepath.Join(dir, "one-relay-photographed.jpg")
	if err := keep(photograph, pages.Photographed(page, askew)); err != nil {
		return err
	}
	taken, err := os.ReadFile(photograph)
	if err != nil {
		return err
	}
	at := pages.Corners(page, askew)
	var corners [4]room.Corner
	for i := range corners {
		corners[i] = room.Corner{X: at[2*i], Y: at[2*i+1]}
	}
	straight, err := room.Straighten(context.Background(), taken, corners, 0)
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, "one-relay.jpg"), straight.JPEG, 0o644)
}

func keep(name string, picture image.Image) error {
	b, err := pages.JPEG(picture)
	if err != nil {
		return err
	}
	return os.WriteFile(name, b, 0o644)
}
