package jobs

import (
	"math"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/job"
	"ironthread/core/units"
	"ironthread/web/room"
)

// How the vehicle stands, for now: the engine by one touch, the rest by a form that comes when it is asked for.

// condition is one thing that can be said of how the vehicle stands, as a form asks it.
type condition struct {
	Name, Label string
	Words       []string // none: a figure
	Now         string   // as entered; empty: as the state has it
}

type standPage struct {
	jobSide
	Conditions []condition
}

// stand is the form.
func (a *Jobs) stand(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := standPage{jobSide: a.side(c, j, "job")}
	onOff := []string{"on", "off"}
	in, warmth, pressure := room.UnitsOf(c), "°C", "bar"
	if in.Fahrenheit {
		warmth = "°F"
	}
	if in.PSI {
		pressure = "psi"
	}
	for _, asked := range []condition{
		{Name: string(electric.Key), Label: "Key", Words: onOff}, {Name: string(electric.AC), Label: "A/C", Words: onOff},
		{Name: string(electric.Coolant), Label: "Coolant, " + warmth}, {Name: string(electric.Pressure), Label: "Refrigerant, " + pressure},
		{Name: string(electric.RoadSpeed), Label: "Road speed, km/h"},
	} {
		asked.Now, _ = electric.Said(j.state.Ledger, electric.Verb(asked.Name))
		unit := map[string]string{string(electric.Coolant): " °C", string(electric.Pressure): " bar"}[asked.Name]
		if said := in.Words(asked.Now + unit); asked.Now != "" {
			asked.Now, _, _ = strings.Cut(said, " ")
		}
		p.Conditions = append(p.Conditions, asked)
	}
	a.Render(c, http.StatusOK, "stand.html", p)
}

// kept is a word or a figure as the log keeps it: temperatures in °C, pressures in bar, whatever they were typed in.
func kept(verb electric.Verb, word string, in units.System) (string, error) {
	read := map[electric.Verb]func(string) (float64, error){electric.Coolant: in.Celsius, electric.Pressure: in.Bar}[verb]
	switch {
	case word == "":
		return "", nil
	case read == nil:
		return strings.Replace(word, ",", ".", 1), nil
	}
	v, err := read(word)
	return strconv.FormatFloat(math.Round(v*10)/10, 'f', -1, 64), err
}

// setStand enters how the vehicle stands from here on: the engine, and what is said of key, A/C, temperature, pressure
// and speed over what a state says of them. Every reading that follows carries it. An empty word is that the state's
// own holds; the engine is off where nothing else is said.
func (a *Jobs) setStand(c *gin.Context) {
	a.write(c, func(j *jobAt) ([]job.Entry, error) {
		setup := j.state.Ledger
		for _, verb := range electric.StandVerbs {
			word, given := c.GetPostForm(string(verb))
			if !given {
				continue
			}
			word, err := kept(verb, room.Clip(strings.TrimSpace(word), room.MaxText), room.UnitsOf(c))
			if err != nil {
				return nil, refusedFor(err)
			}
			before, rest := electric.Said(setup, verb)
			switch {
			case word == before:
			case word == "", word == electric.EngineOff && verb == electric.Engine:
				setup = rest
			default:
				action, err := electric.ParseAction(j.file.Drawn, string(verb)+" "+word)
				if err != nil {
					return nil, refusedFor(err)
				}
				setup = electric.Then(rest, action)
			}
		}
		entries := ledgerEntries(j.state.Ledger, setup)
		if len(entries) == 0 {
			return nil, refused("The vehicle is entered as standing so already.")
		}
		return entries, nil
	})
}
