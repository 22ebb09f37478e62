package harness_test

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
)

// published compiles the schema as an editor would, with a general-purpose validator.
func published(t *testing.T) *jsonschema.Schema {
	t.Helper()
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(harness.Schema()))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("harness.schema.json", doc))
	s, err := c.Compile("harness.schema.json")
	require.NoError(t, err)
	return s
}

func asJSON(t *testing.T, file []byte) any {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, harness.WriteJSON(&b, file))
	v, err := jsonschema.UnmarshalJSON(&b)
	require.NoError(t, err)
	return v
}

func TestTheSchemaPermitsEveryFileOfTheLibrary(t *testing.T) {
	s := published(t)
	files, err := filepath.Glob("../../library/*.harness.yaml")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(files), 14)
	for _, name := range files {
		b, err := os.ReadFile(name)
		require.NoError(t, err)
		assert.NoError(t, s.Validate(asJSON(t, b)), name)
		c, err := harness.Read(b)
		require.NoError(t, err, name)
		again, err := harness.Write(c)
		require.NoError(t, err)
		assert.NoError(t, s.Validate(asJSON(t, again)), "%s as written", name)
	}
}

func TestTheSchemaRefusesWhatTheReaderRefuses(t *testing.T) {
	s := published(t)
	for _, bad := range []string{
		"harness: 2\nparts: {BAT: {kind: battery}}\nstates: {off: {key: on}}",
		"harness: 1\nparts: {BAT: {kind: battery}}",
		"harness: 1\nparts: {BAT: {kind: rocket}}\nstates: {off: {key: on}}",
		"harness: 1\nparts: {BAT: {kind: battery}, F1: {kind: fuse}}\nstates: {off: {key: on}}",
		"harness: 1\nparts: {BAT: {kind: battery, volts: 12}}\nstates: {off: {key: on}}",
		"harness: 1\nparts: {BAT: {kind: battery}, F1: {kind: fuse, amps: 30, style: glass}}\nstates: {off: {key: on}}",
		"harness: 1\nparts: {1BAT: {kind: battery}}\nstates: {off: {key: on}}",
		"harness: 1\nparts: {BAT: {kind: battery}}\nstates: {off: {coolant: 900}}",
		"harness: 1\nparts: {BAT: {kind: battery}}\nstates: {off: {key: on}}\ncolour: red",
	} {
		assert.Error(t, s.Validate(asJSON(t, []byte(bad))), bad)
		_, err := harness.Read([]byte(bad))
		assert.Error(t, err, bad)
	}
}

// The copy for editors in docs/ is the one the program writes.
func TestThePublishedSchemaIsCurrent(t *testing.T) {
	b, err := os.ReadFile("../../docs/harness.schema.json")
	require.NoError(t, err)
	assert.Equal(t, string(harness.Schema()), string(b), "write it again: go run ./cmd/ironthread schema > docs/harness.schema.json")
}

func TestPlacesRoundTrip(t *testing.T) {
	text := small + "sheet:\n  K1: {x: -4, row: 2, mirror: true, put: true}\n  ECU: {x: 30, row: 3, pins: {\"61\": -5}}\n  GONE: {x: 3}\n"
	c, err := harness.Read([]byte(text))
	require.NoError(t, err)
	require.Len(t, c.Places, 2, "the place of a part that is gone is left out")
	b, err := harness.Write(c)
	require.NoError(t, err)
	again, err := harness.Read(b)
	require.NoError(t, err)
	k1 := again.PlaceOf("K1", 0)
	require.NotNil(t, k1)
	assert.Equal(t, [4]any{-4, 2, true, true}, [4]any{k1.X, k1.Row, k1.Mirror, k1.Put})
	assert.Equal(t, map[string]float64{"61": -5}, again.PlaceOf("ECU", 0).Pins)
	_, err = harness.Read([]byte(small + "sheet:\n  K1: {x: far}\n"))
	assert.ErrorContains(t, err, "sheet: K1")
}

func TestPlacesGoInAndOutOfTheText(t *testing.T) {
	text := "# drawn by hand\n" + small + "# the end\n"
	places := []harness.Place{{Part: "K1", X: 12, Row: 1, Put: true}, {Part: "ECU", X: 20, Pins: map[string]float64{"61": 3}}}
	with := harness.WithPlaces(text, places)
	c, err := harness.Read([]byte(with))
	require.NoError(t, err, with)
	assert.Equal(t, 12, c.PlaceOf("K1", 0).X)
	assert.True(t, c.PlaceOf("K1", 0).Put)
	assert.Equal(t, with, harness.WithPlaces(with, places), "put in twice it stands once")
	assert.Equal(t, text, harness.WithPlaces(with, nil), "and comes out again, the rest untouched")
	circuit, sheet := harness.SplitPlaces(with)
	assert.Equal(t, text, circuit)
	assert.Contains(t, sheet, "K1: {x: 12")
}
