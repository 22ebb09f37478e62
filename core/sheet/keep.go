package sheet

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"

	"ironthread/core/harness"
)

// A drawing takes a good part of a second to make and is the same for ever, so that it is worth keeping: as JSON, pressed.

// Version says by which rules sheets are drawn. Whoever changes what Draw gives counts it up, so that drawings kept from
// before are made anew.
const Version = 2

// mostKept bounds what a kept drawing may be once it is unpacked.
const mostKept = 8 << 20

// kept is a sheet as it is written: parts by their names.
type kept struct {
	Version int
	Sheet   *Sheet
	Parts   []string // of each symbol
	RowTops []int
	Run     []int
}

// Keep writes a drawing, for Restore to read.
func (s *Sheet) Keep() ([]byte, error) {
	k := kept{Version: Version, Sheet: s, RowTops: s.rowTops, Run: s.run}
	for i := range s.Symbols {
		k.Parts = append(k.Parts, s.Symbols[i].Part.Name)
	}
	var out bytes.Buffer
	press := gzip.NewWriter(&out)
	err := json.NewEncoder(press).Encode(k)
	if err == nil {
		err = press.Close()
	}
	if err != nil {
		return nil, fmt.Errorf("sheet: keeping a drawing: %w", err)
	}
	return out.Bytes(), nil
}

// Restore reads a drawing of a circuit. The error says that it is another's, or was drawn by other rules: it is to be
// drawn anew.
func Restore(c *harness.Circuit, b []byte) (*Sheet, error) {
	unpress, err := gzip.NewReader(bytes.NewReader(b))
	if err != nil {
		return nil, fmt.Errorf("sheet: a kept drawing: %w", err)
	}
	var k kept
	if err := json.NewDecoder(io.LimitReader(unpress, mostKept)).Decode(&k); err != nil {
		return nil, fmt.Errorf("sheet: a kept drawing: %w", err)
	}
	if k.Version != Version || k.Sheet == nil || len(k.Parts) != len(k.Sheet.Symbols) {
		return nil, fmt.Errorf("sheet: a kept drawing was drawn by rules %d, not %d", k.Version, Version)
	}
	s := k.Sheet
	s.rowTops, s.run = k.RowTops, k.Run
	for i, name := range k.Parts {
		if s.Symbols[i].Part = c.Part(name); s.Symbols[i].Part == nil {
			return nil, fmt.Errorf("sheet: a kept drawing shows %s, which this circuit has not", name)
		}
	}
	return s, nil
}
