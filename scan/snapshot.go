package scan

import (
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ironthread/scan/uds"
)

// How the vehicle stood when a code was set: a control unit keeps some of its values beside each code. They are asked for one code at a
// time (services 0x19 04 and 06 of ISO 14229-1), or, where only emissions diagnostics are given, once for the code that came first
// (service 0x02 of SAE J1979).

// Kept is a value that was kept beside a code. What no description names is shown as its bytes.
type Kept struct {
	Name   string
	Figure float64
	Unit   string
	Raw    string // its bytes, where no description says what they mean
}

// Snapshot is what was kept beside one code; Records are the numbers of the maker's further records, with their bytes.
type Snapshot struct {
	Values  []Kept
	Records []string
}

// Words are what was kept, in a line; empty for nothing.
func (s *Snapshot) Words() string {
	if s == nil {
		return ""
	}
	var words []string
	for _, k := range s.Values {
		if k.Raw != "" {
			words = append(words, k.Name+" as bytes "+k.Raw)
			continue
		}
		words = append(words, strings.TrimSpace(fmt.Sprintf("%s %.4g %s", k.Name, k.Figure, k.Unit)))
	}
	for _, r := range s.Records {
		words = append(words, "the maker's record "+r)
	}
	return strings.Join(words, ", ")
}

// Snapshot asks for what was kept beside a code. One without anything is no error.
func (v *Vehicle) Snapshot(code uds.Code) (*Snapshot, error) {
	ctx, end, err := v.take(v.living)
	if err != nil {
		return nil, err
	}
	defer end()
	s := &Snapshot{}
	if v.data.Emissions {
		for _, x := range emissionsValues {
			b, err := v.ask(ctx, []byte{byte(uds.FrozenData), x.pid, 0})
			if err != nil {
				if stops(err) {
					return nil, err
				}
				continue // it keeps no such value
			}
			if figure, err := x.value.Decode(b[min(len(b), 3):]); err == nil {
				s.Values = append(s.Values, Kept{Name: x.name, Figure: figure, Unit: x.value.Unit})
			}
		}
		return s, nil
	}
	b, err := v.ask(ctx, uds.Detail(uds.SnapshotOf, code))
	if err == nil {
		s.Values, err = v.kept(b)
	}
	if err != nil && stops(err) {
		return nil, err
	}
	if b, err = v.ask(ctx, uds.Detail(uds.ExtendedOf, code)); err == nil && len(b) > detailHead {
		s.Records = append(s.Records, fmt.Sprintf("%d: %s", b[detailHead], spaced(b[detailHead+1:])))
	}
	if err != nil && stops(err) {
		return nil, err
	}
	return s, nil
}

// mostBeside is for how many codes what was kept beside them is asked for.
const mostBeside = 8

// CodesBeside reads the codes, and for the first of them what was kept beside each, by their numbers. A control unit that does not answer
// such questions has its codes read all the same.
func (v *Vehicle) CodesBeside() ([]uds.Code, map[uint32]*Snapshot, error) {
	codes, err := v.Codes()
	if err != nil {
		return nil, nil, err
	}
	beside := map[uint32]*Snapshot{}
	for _, code := range codes[:min(len(codes), mostBeside)] {
		s, err := v.Snapshot(code)
		if err != nil {
			break
		}
		if beside[code.Number] = s; v.data.Emissions {
			break // it keeps one, of the first
		}
	}
	return codes, beside, nil
}

// detailHead is how many bytes an answer has before its first record: service, form, three of the code, its status.
const detailHead = 6

// stops tells whether an error ends what is asked for, and is not just a control unit that keeps nothing.
func stops(err error) bool {
	var refused *uds.Refused
	return !errors.As(err, &refused)
}

// kept reads records of values: a record's number, how many values it has, then each value's identifier and its bytes, as long as the
// description says. One that it does not name ends the reading, since nothing says how long it is.
func (v *Vehicle) kept(b []byte) ([]Kept, error) {
	var list []Kept
	for b = b[min(len(b), detailHead):]; len(b) >= 2; {
		count := int(b[1])
		b = b[2:]
		for range count {
			if len(b) < 2 {
				return list, fmt.Errorf("what is kept beside the code ends in the middle of a value")
			}
			id := uds.Identifier(uint16(b[0])<<8 | uint16(b[1]))
			b = b[2:]
			names, long := v.named(id)
			if long == 0 || long > len(b) {
				return append(list, Kept{Name: fmt.Sprintf("0x%04X and on", uint16(id)), Raw: spaced(b)}), nil
			}
			for _, name := range names {
				x := v.data.Values[name]
				if figure, err := x.Decode(b[:long]); err == nil {
					list = append(list, Kept{Name: name, Figure: figure, Unit: x.Unit})
				}
			}
			b = b[long:]
		}
	}
	return list, nil
}

// named lists the values of an identifier, and how many bytes they have.
func (v *Vehicle) named(id uds.Identifier) (names []string, long int) {
	for _, name := range v.Names() {
		if x := v.data.Values[name]; x.ID == id {
			names, long = append(names, name), max(long, x.Bytes)
		}
	}
	slices.Sort(names)
	return names, long
}

// spaced are bytes in hexadecimal with blanks between, as many as one reads.
func spaced(b []byte) string {
	const most = 32
	rest := ""
	if len(b) > most {
		b, rest = b[:most], " …"
	}
	var words []string
	for _, x := range b {
		words = append(words, strings.ToUpper(hex.EncodeToString([]byte{x})))
	}
	return strings.Join(words, " ") + rest
}
