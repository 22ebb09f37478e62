package repair_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ironthread/core/livelog"
	"ironthread/core/repair"
)

// A stage that a log shows answers its own check and no other; what the coolant never reached is not provoked, and what the log
// leaves open stays open.
func TestALogAnswersTheWarmUp(t *testing.T) {
	check := func(key string, at float64, rising bool) repair.Check {
		return repair.Check{Key: key, Warm: true, Rising: rising, Low: at - 4, High: at + 4}
	}
	list := []repair.Check{{Key: "look low"}, check("up 95", 95, true), check("up 103", 103, true), check("down 97", 97, false),
		check("down 89", 89, false)}
	none := math.NaN()
	for _, c := range []struct {
		why     string
		hottest float64
		stages  []livelog.Stage
		want    map[string]string
	}{
		{"low alone", 96, []livelog.Stage{{On: 94, Off: 90}},
			map[string]string{"up 95": "94 °C", "up 103": repair.NotProvoked, "down 97": repair.NotProvoked, "down 89": "90 °C"}},
		{"both, in the other order", 104, []livelog.Stage{{On: 103.4, Off: 98}, {On: 95, Off: 88}},
			map[string]string{"up 95": "95 °C", "up 103": "103 °C", "down 97": "98 °C", "down 89": "88 °C"}},
		{"low never came on, though hot", 99.5, []livelog.Stage{{On: none, Off: none}, {On: 99.2, Off: none}},
			map[string]string{"up 103": "99 °C"}},
		{"cold", 60, []livelog.Stage{{On: none, Off: none}}, map[string]string{"up 95": repair.NotProvoked, "up 103": repair.NotProvoked,
			"down 97": repair.NotProvoked, "down 89": repair.NotProvoked}},
		{"far too late", 120, []livelog.Stage{{On: 118, Off: 70}}, map[string]string{}},
	} {
		assert.Equal(t, c.want, repair.FromLog(list, &livelog.Analysis{Hottest: c.hottest, Stages: c.stages}), c.why)
	}
}
