package job

import (
	"fmt"

	"ironthread/core/harness"
	"ironthread/core/probe"
)

// What is asked before a lead is laid anywhere: the things that make an engine hot and are not electrical, and what was
// done to the car before it came. All of it is common practice.

// Asked is one of those questions; what is answered enters the log in a line.
type Asked struct {
	Key     string
	Text    string
	Words   []string // the first is how it should be
	Caution string   // what the other answers mean
	Part    string   // of a fan turned by hand: then it is a reading
}

// First lists the questions for a circuit.
func First(c *harness.Circuit) []Asked {
	list := []Asked{
		{Key: "coolant", Text: "Coolant, engine cold", Words: []string{"at its mark", "low", "dirty or oily"},
			Caution: "Too little coolant overheats an engine whatever its fans do: find where it goes first. Oil in it asks for a " +
				"head-gasket check."},
		{Key: "cap", Text: "Pressure cap and its seal", Words: []string{"holds", "does not hold"},
			Caution: "A cap that does not hold lets the coolant boil early. Never open a hot system."},
		{Key: "air", Text: "Air in the system, heater cold", Words: []string{"none", "air"}, Caution: "Bleed it before a temperature is judged."},
		{Key: "core", Text: "Radiator and condenser fins", Words: []string{"clear", "blocked"},
			Caution: "No fan moves air through a blocked core."},
	}
	for _, fan := range c.Fans() {
		list = append(list, Asked{Key: "turned " + fan.Name, Text: fmt.Sprintf("%s turned by hand, its motor unplugged", fan.Name),
			Words: []string{"free", "drags", "rough", "stuck"}, Part: fan.Name,
			Caution: "Fans start with the key off: unplug the motor first."})
	}
	return append(list, Asked{Key: "plugs", Text: "Plugs and fuses pushed home", Words: []string{"all home", "one was loose"},
		Caution: "A plug pushed home is an intervention: it may have mended the fault, and belongs in the log by its name."})
}

// Reading is the observation that an answer is, where it is one; nil where it is a line of the log only.
func (a Asked) Reading(word string) *probe.Observation {
	if a.Part == "" {
		return nil
	}
	o := probe.Told(probe.Turned, a.Part, probe.Word(word), a.Part+" unplugged")
	return &o
}

// Line is an answer as the log has it.
func (a Asked) Line(word string) string { return a.Text + ": " + word }

// Unusual tells whether an answer is other than it should be.
func (a Asked) Unusual(word string) bool { return word != a.Words[0] }
