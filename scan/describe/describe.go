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
	"math"
	"sort"

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
}

// Value is one that can be read.
type Value struct {
	ID     uds.Identifier `yaml:"id"`
	Bytes  int            `yaml:"bytes"`
	Scale  float64        `yaml:"scale,omitempty"` // 0 is 1
	Offset float64        `yaml:"offset,omitempty"`
	Unit   string         `yaml:"unit,omitempty"`
	Label  string         `yaml:"label,omitempty"`
}

// Output is one that can be commanded for a time.
type Output struct {
	ID      uds.Identifier `yaml:"id"`
	Percent bool           `yaml:"percent,omitempty"` // its state is a duty; else on is 1 and off is 0
	Label   string         `yaml:"label,omitempty"`
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
	}
	for name, out := range v.Outputs {
		if out.ID == 0 {
			return fmt.Errorf("outputs: %s: id is needed", name)
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
	return float64(raw)*v.scale() + v.Offset, nil
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
		Version: 1, Title: c.Title + ", simulated", Harness: name, Address: 0x0E80, VIN: "SKERROW",
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
