package typed_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/typed"
	"ironthread/library"
)

// A controller's and a module's settings as fields: what is changed is changed, the rest of the text stays to the letter.
func TestSettingsAsFields(t *testing.T) {
	e, err := library.Open("m1-bus-mixture")
	require.NoError(t, err)
	list, err := typed.SettingsOf(string(e.Text), "ECU")
	require.NoError(t, err)
	assert.Contains(t, list, typed.Setting{Path: "pins.X9.sinks-on", Value: "backup"})
	module, err := typed.SettingsOf(string(e.Text), "PM")
	require.NoError(t, err)
	assert.Contains(t, module, typed.Setting{Path: "duty.min", Value: "10"})
	assert.Contains(t, module, typed.Setting{Path: "feeds", Value: "1"})

	text, err := typed.Set(string(e.Text), "PM", []typed.Setting{{Path: "duty.min", Value: "15"}, {Path: "hertz.from", Value: "100"},
		{Path: "hertz.to", Value: "300"}, {Path: "rating.amps", Value: ""}})
	require.NoError(t, err)
	text, err = typed.Set(text, "ECU", []typed.Setting{{Path: "pins.X7.sources-on", Value: "backup"}, {Path: "pins.X9.label", Value: "spare"}})
	require.NoError(t, err)
	c, err := harness.Read([]byte(text))
	require.NoError(t, err, text)
	pm := c.Part("PM").Spec.(*harness.PWMModule)
	assert.Equal(t, [4]float64{15, 90, 100, 300}, [4]float64{pm.Min, pm.Max, pm.HzFrom, pm.HzTo})
	assert.Zero(t, pm.RatedAmps)
	assert.Equal(t, "backup", c.Part("ECU").Spec.(*harness.Controller).Role("X7").SourcesOn)
	before, after := strings.Split(string(e.Text), "wires:"), strings.Split(text, "wires:")
	assert.Equal(t, before[1], after[1], "what lies behind is untouched")

	again, err := typed.Set(text, "PM", nil)
	require.NoError(t, err)
	assert.Equal(t, text, again, "nothing changed, nothing written otherwise")
	for path, want := range map[string]string{"duty.min.low": "holds no", "outputs.fan.+.x": "holds no"} {
		_, err := typed.Set(text, "PM", []typed.Setting{{Path: path, Value: "1"}})
		assert.ErrorContains(t, err, want)
	}
	_, err = typed.SettingsOf(text, "XX")
	assert.ErrorContains(t, err, "there is no part XX")
	_, err = typed.SettingsOf("parts: [", "XX")
	assert.ErrorContains(t, err, "cannot be read")
}
