package electric

import (
	"fmt"

	"ironthread/core/harness"
)

// A set-up action is written in few words, as the file has it: "BAT apart". These are the same actions as one says them at the
// bonnet, while they hold and once they are taken back.

// DoneWords says what an action has made of the car: "battery negative is off", "K1 is out", "F3 replaced".
func (a Action) DoneWords(c *harness.Circuit) string {
	switch a.Verb {
	case Out:
		return a.Part + " is out"
	case Unplugged:
		return a.Part + " is unplugged"
	case Apart:
		if kindOf(c, a.Part) == harness.KindBattery {
			return "battery negative is off"
		}
		return a.Part + " is apart"
	case Jumper:
		return fmt.Sprintf("a lead bridges %s and %s", a.From, a.To)
	case GroundPin:
		return fmt.Sprintf("a lead grounds %s", a.From)
	case Feed:
		return fmt.Sprintf("a lead feeds %s", a.From)
	case Pack:
		return fmt.Sprintf("battery pack on %s", a.From.Part)
	case Replaced:
		return fmt.Sprintf("%s is stood in for by a resistor", a.Part)
	case Renewed:
		switch {
		case a.To.Part != "":
			return fmt.Sprintf("wire %s - %s replaced", a.From, a.To)
		case a.From.Part != "":
			return fmt.Sprintf("terminal %s replaced", a.From)
		case kindOf(c, a.Part) == harness.KindGround || kindOf(c, a.Part) == harness.KindSplice:
			return a.Part + " made anew"
		}
		return a.Part + " replaced"
	case RenewedUsed:
		return a.Part + " replaced by a used one"
	case Cleaned:
		return a.Part + " cleaned"
	case Swapped:
		return fmt.Sprintf("%s and %s swapped", a.Part, a.Other)
	}
	return a.Spoken()
}

// BackWords says that an action has been taken back: "battery lead is back on", "K1 is back in".
func (a Action) BackWords(c *harness.Circuit) string {
	switch a.Verb {
	case Out:
		return a.Part + " is back in"
	case Unplugged:
		return a.Part + " is plugged in again"
	case Apart:
		if kindOf(c, a.Part) == harness.KindBattery {
			return "battery lead is back on"
		}
		return a.Part + " is joined again"
	case Jumper:
		return fmt.Sprintf("the lead between %s and %s is off", a.From, a.To)
	case GroundPin, Feed:
		return fmt.Sprintf("the lead is off %s", a.From)
	case Pack:
		return fmt.Sprintf("the battery pack is off %s", a.From.Part)
	case Replaced:
		return a.Part + " is plugged in again"
	case Swapped:
		return fmt.Sprintf("%s and %s are back in their places", a.Part, a.Other)
	case Engine:
		return "the engine is as the state has it"
	}
	return a.DoneWords(c) + ": taken back"
}

func kindOf(c *harness.Circuit, part string) harness.Kind {
	if p := c.Part(part); p != nil {
		return p.Kind()
	}
	return ""
}

// DoneSpoken is DoneWords of an action as the file has it; what is none of this circuit stays as it was written.
func DoneSpoken(c *harness.Circuit, words string) string { return spoken(c, words, Action.DoneWords) }

// BackSpoken is the same of BackWords.
func BackSpoken(c *harness.Circuit, words string) string { return spoken(c, words, Action.BackWords) }

func spoken(c *harness.Circuit, words string, say func(Action, *harness.Circuit) string) string {
	a, err := ParseAction(c, words)
	if err != nil {
		return words
	}
	return say(a, c)
}
