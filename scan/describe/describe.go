// Package describe says which identifier means what on a vehicle: its values and its outputs, and the harness that belongs
// to it. Nothing of it is built in; it is read from a file that anybody can write for a vehicle.
//
// In goes a file of YAML, out comes a [Vehicle]. The one idea: the emissions values that every vehicle must give have
// published identifiers, everything else is the maker's, and stands in this file.
package describe

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"sort"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/harness"
	"ironthread/scan/uds"
)

// MostBytes bounds a file.
const MostBytes = 64 << 10

// mostEntries bounds values and outputs each.
const mostEntries = 200

// Vehicle is one description.
type Vehicle struct {
	Version int               `yaml:"vehicle-data"`
	Title   string            `yaml:"title"`
	Harness string            `yaml:"harness"` // the harness that belongs to it
	Years   string            `yaml:"years,omitempty"`
	Address uint16            `yaml:"controller"`
	VIN     string            `yaml:"vin,omitempty"` // how its number begins
	Values  map[string]Value  `yaml:"values"`
	Outputs map[string]Output `yaml:"outputs"`

	Emissions bool `yaml:"-"` // emissions diagnostics alone: no output, no session

	order []string // of the outputs, as the file has them
}

// Value is one that can be read.
type Value struct {
	ID     uds.Identifier `yaml:"id"`
	Bytes  int            `yaml:"bytes"`
	Scale  float64        `yaml:"scale,omitempty"` // 0 is 1
	Offset float64        `yaml:"offset,omitempty"`
	Unit   string         `yaml:"unit,omitempty"`
	Label  string         `yaml:"label,omitempty"`
	Signed bool           `yaml:"signed,omitempty"` // two's complement
	Bits   []int          `yaml:"bits,omitempty"`   // from, to: the bits of the whole that count, the lowest is 0
	Words  map[int]string `yaml:"values,omitempty"` // what single figures mean, such as 0: off
	PID    byte           `yaml:"-"`                // of emissions diagnostics, where it is asked for that way
}

// Security is the key that an output asks for. The key's name is that of a program which the owner of the machine has set.
type Security struct {
	Level byte   `yaml:"level"` // odd: of the request for a seed
	Key   string `yaml:"key"`
}

// Output is one that can be commanded for a time.
type Output struct {
	ID      uds.Identifier `yaml:"id"`
	Percent bool           `yaml:"percent,omitempty"` // its state is a duty; else on is 1 and off is 0
	Label   string         `yaml:"label,omitempty"`

	At       int       `yaml:"at,omitempty"`      // its byte within the record
	Bytes    int       `yaml:"bytes,omitempty"`   // of the record; one beyond At where nothing is said
	Mask     []int     `yaml:"mask,omitempty"`    // bytes that say which outputs of the record are meant
	Routine  int       `yaml:"routine,omitempty"` // a routine that is started and stopped, in place of an identifier
	Security *Security `yaml:"security,omitempty"`
}

// Request is what commands the output: its duty in percent, or on for any above zero.
func (o Output) Request(duty float64) []byte {
	state := byte(0)
	if duty > 0 {
		state = 1
		if o.Percent {
			state = byte(min(100, duty))
		}
	}
	if o.Routine != 0 {
		which := byte(startRoutine)
		if state == 0 {
			which = stopRoutine
		}
		b := []byte{byte(uds.Routine), which, byte(o.Routine >> 8), byte(o.Routine)}
		if o.Percent && state > 0 {
			b = append(b, state)
		}
		return b
	}
	record := make([]byte, max(o.Bytes, o.At+1))
	record[o.At] = state
	for _, x := range o.Mask {
		record = append(record, byte(x))
	}
	return uds.Control(o.ID, uds.ShortTermAdjust, record...)
}

// GiveBack is what gives the output back to its control unit.
func (o Output) GiveBack() []byte {
	if o.Routine != 0 {
		return []byte{byte(uds.Routine), stopRoutine, byte(o.Routine >> 8), byte(o.Routine)}
	}
	var mask []byte
	for _, x := range o.Mask {
		mask = append(mask, byte(x))
	}
	return uds.Control(o.ID, uds.ReturnControl, mask...)
}

// Forms of a routine's control (ISO 14229-1).
const (
	startRoutine = 0x01
	stopRoutine  = 0x02
)

// InOrder lists the outputs as the file has them; by name where it came from no file.
func (v *Vehicle) InOrder() []string {
	if len(v.order) == len(v.Outputs) {
		return v.order
	}
	return slices.Sorted(maps.Keys(v.Outputs))
}

// Asks is the request that asks for a value, and Head how many bytes its answer has before the value itself.
func (v *Vehicle) Asks(value Value) []byte {
	if value.PID != 0 {
		return []byte{byte(uds.CurrentData), value.PID}
	}
	return uds.Read(value.ID)
}

// Head is how many bytes an answer has before the value.
func (v *Vehicle) Head(value Value) int {
	if value.PID != 0 {
		return 2
	}
	return 3
}

// Read reads a description; the error names the line.
func Read(b []byte) (*Vehicle, error) {
	if len(b) > MostBytes {
		return nil, fmt.Errorf("vehicle data: the file is larger than %d KiB", MostBytes>>10)
	}
	v := &Vehicle{}
	d := yaml.NewDecoder(bytes.NewReader(b))
	d.KnownFields(true)
	if err := d.Decode(v); err != nil {
		if errors.Is(err, io.EOF) {
			err = errors.New("the file is empty")
		}
		return nil, fmt.Errorf("vehicle data: %w", err)
	}
	v.order = outputsInOrder(b)
	if err := v.check(); err != nil {
		return nil, fmt.Errorf("vehicle data: %w", err)
	}
	return v, nil
}

func (v *Vehicle) check() error {
	switch {
	case v.Version != 1:
		return fmt.Errorf("the file must say \"vehicle-data: 1\", the version of the format")
	case v.Address == 0:
		return fmt.Errorf("controller: the address of the engine controller is missing")
	case len(v.Values) > mostEntries, len(v.Outputs) > mostEntries:
		return fmt.Errorf("more than %d values or outputs", mostEntries)
	}
	for name, value := range v.Values {
		if value.ID == 0 || value.Bytes < 1 || value.Bytes > 4 {
			return fmt.Errorf("values: %s: id and bytes (1 to 4) are needed", name)
		}
		if n := len(value.Bits); n != 0 && (n != 2 || value.Bits[0] < 0 || value.Bits[0] > value.Bits[1] || value.Bits[1] >= 8*value.Bytes) {
			return fmt.Errorf("values: %s: bits are two, such as [0, 3], within its %d bytes", name, value.Bytes)
		}
	}
	for name, out := range v.Outputs {
		switch {
		case out.ID == 0 && out.Routine == 0 || out.ID != 0 && out.Routine != 0:
			return fmt.Errorf("outputs: %s: id, or routine, is needed", name)
		case out.At < 0 || out.Bytes < 0 || out.Bytes > mostRecord || out.At >= max(1, max(out.Bytes, out.At+1)) || out.At >= mostRecord:
			return fmt.Errorf("outputs: %s: at and bytes lie within a record of %d bytes", name, mostRecord)
		case out.Bytes != 0 && out.At >= out.Bytes:
			return fmt.Errorf("outputs: %s: at lies beyond its %d bytes", name, out.Bytes)
		case len(out.Mask) > mostRecord || slices.ContainsFunc(out.Mask, func(x int) bool { return x < 0 || x > 0xFF }):
			return fmt.Errorf("outputs: %s: mask is a list of bytes", name)
		case out.Routine < 0 || out.Routine > 0xFFFF:
			return fmt.Errorf("outputs: %s: a routine has two bytes", name)
		case out.Security != nil && (out.Security.Level%2 != 1 || !named(out.Security.Key)):
			return fmt.Errorf("outputs: %s: security has an odd level, and the name of a key in letters, figures and hyphens", name)
		}
	}
	return nil
}

// Names lists the values, the published ones first.
func (v *Vehicle) Names() []string {
	names := make([]string, 0, len(v.Values))
	for name := range v.Values {
		names = append(names, name)
	}
	sort.Slice(names, func(i, j int) bool {
		a, b := v.Values[names[i]], v.Values[names[j]]
		if a.published() != b.published() {
			return a.published()
		}
		return names[i] < names[j]
	})
	return names
}

func (v Value) published() bool { return v.ID >= 0xF400 && v.ID < 0xF500 }

// Decode makes a figure of the bytes of an answer.
func (v Value) Decode(b []byte) (float64, error) {
	if len(b) < v.Bytes {
		return 0, fmt.Errorf("%d bytes are too few for a value of %d", len(b), v.Bytes)
	}
	raw := uint32(0)
	for _, x := range b[:v.Bytes] {
		raw = raw<<8 | uint32(x)
	}
	wide := 8 * v.Bytes
	if len(v.Bits) == 2 {
		wide = v.Bits[1] - v.Bits[0] + 1
		raw = raw >> v.Bits[0] & uint32(1<<wide-1)
	}
	figure := float64(raw)
	if v.Signed && raw>>(wide-1)&1 == 1 {
		figure -= math.Pow(2, float64(wide))
	}
	return figure*v.scale() + v.Offset, nil
}

// mostRecord bounds the record of an output, bytes.
const mostRecord = 32

// named tells whether something may be the name of a key.
func named(s string) bool {
	return s != "" && len(s) <= 40 && strings.Trim(s, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-") == ""
}

// outputsInOrder lists the outputs as a file has them.
func outputsInOrder(b []byte) []string {
	var file struct {
		Outputs yaml.Node `yaml:"outputs"`
	}
	if err := yaml.Unmarshal(b, &file); err != nil {
		return nil // the file has been read before
	}
	var names []string
	for i := 0; i+1 < len(file.Outputs.Content); i += 2 {
		names = append(names, file.Outputs.Content[i].Value)
	}
	return names
}

// Encode makes bytes of a figure, at the nearest end of what they hold.
func (v Value) Encode(figure float64) []byte {
	most := math.Pow(256, float64(v.Bytes)) - 1
	raw := uint32(min(most, max(0, math.Round((figure-v.Offset)/v.scale()))))
	b := make([]byte, v.Bytes)
	for i := v.Bytes - 1; i >= 0; i-- {
		b[i] = byte(raw)
		raw >>= 8
	}
	return b
}

func (v Value) scale() float64 {
	if v.Scale == 0 {
		return 1
	}
	return v.Scale
}

// Names of the values that a simulated vehicle gives.
const (
	Coolant  = "coolant"
	Speed    = "speed"
	Supply   = "supply"
	AC       = "ac"
	Pressure = "pressure"
)

// For writes the description of a simulated vehicle with this harness: the published values, and invented identifiers for
// the rest.
func For(name string, c *harness.Circuit) *Vehicle {
	v := &Vehicle{
		Version: 1, Title: c.Title + ", simulated", Harness: name, Address: 0x1001, VIN: "SKERROW",
		Values: map[string]Value{
			Coolant:  {ID: uds.Coolant, Bytes: 1, Offset: -40, Unit: "°C", Label: "coolant"},
			Speed:    {ID: uds.Speed, Bytes: 1, Unit: "km/h", Label: "road speed"},
			Supply:   {ID: uds.Supply, Bytes: 2, Scale: 0.001, Unit: "V", Label: "control module supply"},
			AC:       {ID: 0xFD10, Bytes: 1, Label: "A/C request"},
			Pressure: {ID: 0xFD11, Bytes: 2, Scale: 0.01, Unit: "bar", Label: "refrigerant"},
		},
		Outputs: map[string]Output{},
	}
	pulsed := map[string]bool{}
	for _, p := range c.OfKind(harness.KindController) {
		for _, role := range p.Spec.(*harness.Controller).PinRoles {
			if role.PWMOn != "" {
				pulsed[role.PWMOn] = true
			}
		}
	}
	for i, command := range c.Commands() {
		v.Values["commanded "+command] = Value{ID: uds.Identifier(0xFD20 + i), Bytes: 1, Unit: "%", Label: command + " commanded"}
		v.Outputs[command] = Output{ID: uds.Identifier(0xFD40 + i), Percent: pulsed[command], Label: command}
	}
	return v
}

// Write spells the description as a file.
func Write(v *Vehicle) ([]byte, error) {
	b, err := yaml.Marshal(v)
	if err != nil {
		return nil, fmt.Errorf("vehicle data: %w", err)
	}
	return b, nil
}
