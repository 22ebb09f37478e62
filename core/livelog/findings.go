package livelog

import (
	"fmt"
	"math"

	"ironthread/core/harness"
)

// Finding is one thing that a log tells, held against the strategy where there is one.
type Finding struct {
	Text  string
	Wrong bool
}

// Done tells that nothing is wrong with it.
func (f Finding) Done() bool { return !f.Wrong }

// Findings words an analysis for people.
func Findings(c *harness.Circuit, a *Analysis) []Finding {
	var list []Finding
	say := func(wrong bool, format string, args ...any) {
		list = append(list, Finding{fmt.Sprintf(format, args...), wrong})
	}
	for _, s := range a.Stages {
		var rule *harness.Rule
		for _, r := range c.Strategy {
			if r.Command == s.Command {
				rule = r
			}
		}
		if len(s.Switches) == 0 {
			reached := rule != nil && rule.OnAbove != nil && a.Hottest >= *rule.OnAbove+within
			switch {
			case reached && a.Gaps > 0:
				say(false, "%s was not seen on, though the coolant reached %.0f °C and the strategy says %.0f °C: it may have been on in a gap",
					s.Command, a.Hottest, *rule.OnAbove)
			case reached:
				say(true, "%s never came on, though the coolant reached %.0f °C and the strategy says %.0f °C", s.Command, a.Hottest, *rule.OnAbove)
			default:
				say(false, "%s was never due: the coolant reached only %.0f °C", s.Command, a.Hottest)
			}
			continue
		}
		say(off(rule, true, s.On), "%s came on at %.0f °C (%d times)%s", s.Command, s.On, len(s.Switches), against(rule, true))
		if !math.IsNaN(s.Off) {
			say(off(rule, false, s.Off), "%s went off at %.0f °C, %.0f s later%s", s.Command, s.Off, s.Cools, against(rule, false))
		}
		if s.Short > 0 {
			say(true, "%s came back within %.0f s %d times: it cycles", s.Command, shortSeconds, s.Short)
		}
		if s.Idle > 0 {
			say(true, "%s was commanded for more than %.0f s at a standstill while the coolant rose by more than %.0f °C (%d times): commanded, "+
				"and not cooling", s.Command, notCoolingAfter, notCoolingRise, s.Idle)
		}
	}
	if a.Gaps > 0 {
		say(false, "%d gaps of more than %.0f s in the log: what happened in them is not known", a.Gaps, gapSeconds)
	}
	if a.Bad > 0 {
		say(false, "%d of %d rows could not be read, the first in line %d", a.Bad, a.Rows, a.BadAt)
	}
	return list
}

func threshold(rule *harness.Rule, on bool) *float64 {
	switch {
	case rule == nil:
		return nil
	case on && rule.From != nil:
		return &rule.From.At
	case on:
		return rule.OnAbove
	}
	return rule.OffBelow
}

func off(rule *harness.Rule, on bool, seen float64) bool {
	at := threshold(rule, on)
	return at != nil && math.Abs(*at-seen) > within
}

func against(rule *harness.Rule, on bool) string {
	if at := threshold(rule, on); at != nil {
		return fmt.Sprintf("; the strategy says %.0f °C", *at)
	}
	return ""
}
