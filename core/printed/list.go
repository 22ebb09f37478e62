package printed

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"

	"ironthread/core/harness"
)

// A wire list from a spreadsheet becomes a circuit too: its columns are found by the words in their head, whatever their order, and the
// kinds of its parts are guessed from their names and pins, for somebody to confirm.

// MostListBytes bounds a list.
const MostListBytes = 256 << 10

// List is what was understood of a list.
type List struct {
	Trace   *Trace
	Columns map[string]string // what each column of ours is called in the list
	Wrong   []string          // rows that cannot be read, each in a sentence
	Rows    int
}

// columnWords are the words by which lists call their columns; the first that fits a head is taken.
var columnWords = []struct {
	column string
	words  []string
}{
	{"from pin", []string{"from pin", "from cavity", "from terminal", "pin 1", "pin a", "source pin", "von pin"}},
	{"to pin", []string{"to pin", "to cavity", "to terminal", "pin 2", "pin b", "target pin", "destination pin", "nach pin"}},
	{"from", []string{"from part", "from component", "from connector", "from", "source", "start", "component 1", "part 1", "end 1", "end a"}},
	{"to", []string{"to part", "to component", "to connector", "to", "target", "destination", "component 2", "part 2", "end 2", "end b"}},
	{"colour", []string{"colour", "color", "col", "wire colour", "wire color"}},
	{"size", []string{"size", "mm2", "mm²", "gauge", "awg", "csa", "cross-section", "cross section", "section"}},
	{"length", []string{"length", "len", "metres", "meters", "m"}},
}

// columnsOf finds the columns in a head.
func columnsOf(head []string) map[string]int {
	found := map[string]int{}
	taken := map[int]bool{}
	for _, exact := range []bool{true, false} {
		for _, x := range columnWords {
			if _, there := found[x.column]; there {
				continue
			}
			for _, word := range x.words {
				k := slices.IndexFunc(head, func(cell string) bool {
					cell = strings.ToLower(strings.Join(strings.Fields(strings.NewReplacer("_", " ", ".", " ").Replace(cell)), " "))
					return cell == word || !exact && len(word) > 2 && strings.HasPrefix(cell, word)
				})
				if k >= 0 && !taken[k] {
					found[x.column], taken[k] = k, true
					break
				}
			}
		}
	}
	return found
}

// ReadList reads a list. The error is one of the whole of it; rows that cannot be read are named in the list.
func ReadList(text string) (*List, error) {
	if len(text) > MostListBytes {
		return nil, fmt.Errorf("the list is larger than %d KiB", MostListBytes>>10)
	}
	text = strings.TrimPrefix(strings.ReplaceAll(text, "\r\n", "\n"), "\ufeff")
	r := csv.NewReader(strings.NewReader(text))
	r.FieldsPerRecord, r.LazyQuotes, r.TrimLeadingSpace = -1, true, true
	for _, comma := range []rune{'\t', ';'} { // decimal commas stand between these, and titles hold commas
		if 2*strings.Count(text, string(comma)) > strings.Count(text, ",") {
			r.Comma = comma
			break
		}
	}
	l := &List{Trace: &Trace{Volts: 12}, Columns: map[string]string{}}
	var at map[string]int
	for line := 1; ; line++ {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("line %d of the list cannot be read: %w", line, err)
		}
		if at == nil {
			found := columnsOf(row)
			_, from := found["from"]
			_, to := found["to"]
			if from && to {
				at = found
				for column, k := range found {
					l.Columns[column] = row[k]
				}
			}
			continue // what stands before the head is none of it
		}
		if l.Rows++; l.Rows > mostWires {
			return nil, fmt.Errorf("a list has up to %d wires", mostWires)
		}
		if err := l.row(row, at); err != nil {
			l.Wrong = append(l.Wrong, fmt.Sprintf("line %d: %v", line, err))
		}
	}
	if at == nil {
		return nil, errors.New("no head was found: the list needs a column \"from\" and a column \"to\", with pins in them or beside them")
	}
	l.guess()
	return l, nil
}

// row takes one wire.
func (l *List) row(row []string, at map[string]int) error {
	cell := func(column string) string {
		if k, there := at[column]; there && k < len(row) {
			return strings.TrimSpace(row[k])
		}
		return ""
	}
	if strings.TrimSpace(strings.Join(row, "")) == "" {
		return nil
	}
	from, err := endOf(cell("from"), cell("from pin"))
	if err != nil {
		return err
	}
	to, err := endOf(cell("to"), cell("to pin"))
	if err != nil {
		return err
	}
	w := Wire{From: from, To: to, Colour: strings.ToUpper(cell("colour")), Size: sizeOf(cell("size")), Length: lengthOf(cell("length"))}
	if strings.ContainsAny(w.Colour, " :,{}[]#") || len(w.Colour) > 12 {
		return fmt.Errorf("%q is no colour", harness.Clipped(w.Colour, 20))
	}
	if !sizeOK(w.Size) {
		return fmt.Errorf("%q is no size of a wire", harness.Clipped(cell("size"), 20))
	}
	l.Trace.Wires = append(l.Trace.Wires, w)
	return nil
}

// betweenPartAndPin is what lists write between a part and its pin.
var betweenPartAndPin = regexp.MustCompile(`^([A-Za-z][A-Za-z0-9_/]*)(?:\s*[.:\-]\s*|\s+)([A-Za-z0-9+\-]+)$`)

// endOf is one end: a part and a pin, in one cell or in two.
func endOf(part, pin string) (string, error) {
	if part == "" {
		return "", errors.New("one end of the wire is empty")
	}
	if pin != "" {
		if !partName.MatchString(part) || strings.ContainsAny(pin, " .:") || len(pin) > 20 {
			return "", fmt.Errorf("%q, %q is no part and pin", harness.Clipped(part, 20), harness.Clipped(pin, 20))
		}
		return part + "." + pin, nil
	}
	if m := betweenPartAndPin.FindStringSubmatch(part); m != nil {
		return m[1] + "." + m[2], nil
	}
	if partName.MatchString(part) { // a ground, a joint
		return part, nil
	}
	return "", fmt.Errorf("%q is no part and pin, such as K1.87", harness.Clipped(part, 30))
}

func sizeOf(s string) string {
	s = strings.ToLower(strings.ReplaceAll(strings.ReplaceAll(s, " ", ""), ",", "."))
	return strings.TrimSuffix(strings.NewReplacer("mm²", "mm2", "qmm", "mm2").Replace(s), "mm2")
}

var lengthForm = regexp.MustCompile(`^([0-9]+(?:\.[0-9]+)?)(m|ft)?$`)

func lengthOf(s string) string {
	m := lengthForm.FindStringSubmatch(strings.ReplaceAll(strings.ReplaceAll(s, " ", ""), ",", "."))
	if m == nil {
		return ""
	}
	if m[2] == "" {
		return m[1] + "m"
	}
	return m[0]
}

// guess gives each part the kind that its name and its pins are usual for.
func (l *List) guess() {
	pins := map[string][]string{}
	var order []string
	for _, w := range l.Trace.Wires {
		for _, end := range []string{w.From, w.To} {
			part, pin, _ := strings.Cut(end, ".")
			if _, there := pins[part]; !there {
				order = append(order, part)
			}
			pins[part] = append(pins[part], pin)
		}
	}
	for _, name := range order {
		l.Trace.Parts = append(l.Trace.Parts, Part{Name: name, Kind: kindLike(name, pins[name])})
	}
}

// kindLike is the kind that a name and its pins are usual for (common practice).
func kindLike(name string, pins []string) harness.Kind {
	has := func(list ...string) bool {
		return slices.ContainsFunc(pins, func(p string) bool { return slices.Contains(list, p) })
	}
	up := strings.ToUpper(name)
	stem := strings.TrimRight(up, "0123456789")
	bare := !slices.ContainsFunc(pins, func(p string) bool { return p != "" })
	switch {
	case has("85", "86") && has("30", "87", "87a", "85", "86"):
		return harness.KindRelay
	case has("c+") && has("c-"):
		return harness.KindSolidState
	case slices.Contains([]string{"BAT", "BATT", "BATTERY"}, stem):
		return harness.KindBattery
	case bare && slices.Contains([]string{"G", "GND", "GROUND", "E", "EARTH"}, stem):
		return harness.KindGround
	case bare:
		return harness.KindSplice
	case has("+") && has("-") && stem != "FM" && stem != "ECU":
		return harness.KindMotor
	case has("a") && has("b") || has("1") && has("2") && len(pins) == 2:
		switch stem {
		case "F", "FUSE":
			return harness.KindFuse
		case "CB":
			return harness.KindBreaker
		case "R":
			return harness.KindResistor
		}
		return harness.KindSwitch
	case has("a") && has("k"):
		return harness.KindDiode
	case stem == "F":
		return harness.KindFuse
	case stem == "M":
		return harness.KindMotor
	case stem == "SW" || stem == "S":
		return harness.KindSwitch
	}
	return harness.KindController
}
