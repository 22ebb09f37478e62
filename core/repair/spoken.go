package repair

import "strings"

// An answer is kept by its check's key, "cause drag M1", with "as expected" or what was found. These are the same as people read
// them: the check as a statement, the answer beside it.

// statements are what the checks of a cause state, by the first word of their keys; $ stands for the part.
var statements = map[string]string{
	"drag": "$ turns freely by hand", "running": "$: running current within its band", "start": "$: starting current as it should be",
	"size": "The new fuse $ is of the size drawn", "chafed": "Wires that $ protects: nothing chafed, no water",
	"socket": "The socket of $: tight, bright, no heat", "rest": "The rest contact of $: load within its rating",
	"airflow": "$ sits in its airflow", "joints": "$: feed and ground drop within limits", "guard": "$: blades and shroud whole",
	"joint": "The joint $ is clean, tight and sealed", "feeds": "$: powers and grounds read under load",
	"route": "The wire's route: no chafing, no sharp bend, clear of heat",
}

// mendedJoint is the statement of the joint that no part has a name for.
const mendedJoint = "The mended joint is crimped or soldered, and sealed"

// Spoken says the answer to a check as people read it.
func Spoken(key, answer string) (statement, said string) {
	kind, rest, _ := strings.Cut(key, " ")
	what, part, _ := strings.Cut(rest, " ")
	said = answer
	switch {
	case kind == "cause" && statements[what] != "":
		if answer == AsExpected {
			said = "yes"
		}
		if what == "joint" && part == "" {
			return mendedJoint, said
		}
		statement = strings.ReplaceAll(statements[what], "$", part)
		if strings.Contains(part, " and ") {
			statement = strings.Replace(statement, " turns ", " turn ", 1)
		}
		return statement, said
	case kind == "warm-up":
		switch {
		case answer == AsExpected:
			said = "as they should"
		case strings.HasPrefix(answer, NotProvoked):
			said = NotHotEnough + strings.TrimPrefix(answer, NotProvoked)
		}
		if what == "down" {
			return "Cooling down past " + part + " °C, the fans changed", said
		}
		return "Warming up past " + part + " °C, the fans changed", said
	}
	if answer == AsExpected {
		said = "as it should be"
	}
	return strings.TrimSpace(kind + ": " + rest), said
}

// NotHotEnough is how people say that a warm-up did not come to the point.
const NotHotEnough = "could not get it that hot"
