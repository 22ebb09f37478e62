package web

import (
	"fmt"
	"net/url"
	"slices"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/web/drawing"
)

// chooseState decides which state the sheet shows, and makes the switch above it.
func (p *jobPage) chooseState(j *jobAt, r jobRequest) error {
	circuit := j.bench.circuit
	shown := circuit.States[0]
	switch {
	case r.state != "":
		s, err := circuit.FindState(r.state)
		if err != nil {
			return err
		}
		shown = s
	case p.Card != nil:
		shown = circuit.State(p.Card.State)
	case j.state.Now.State != nil:
		shown = j.state.Now.State
	}
	p.Shown = shown.Name
	keep := url.Values{}
	for key, values := range r.own {
		keep[key] = values
	}
	if r.view != "" {
		keep.Set("view", r.view)
	}
	for i, s := range circuit.States {
		keep.Set("state", s.Name)
		p.States = append(p.States, stateButton{s.Name, fmt.Sprintf("/jobs/%d?%s", j.ID, keep.Encode()), i + 1, s == shown})
	}
	return nil
}

// listPins fills the list by which a pin is chosen without touching the sheet.
func (p *jobPage) listPins(j *jobAt) {
	for _, pin := range j.bench.model.Pins() {
		part := j.bench.circuit.Part(pin.Part)
		choice := pinChoice{Name: pin.String(), Label: pin.String()}
		if part.Label != "" {
			choice.Label += " · " + part.Label
		}
		choice.Chosen = p.Card != nil && p.Card.At == choice.Name
		p.Pins = append(p.Pins, choice)
	}
	p.Lead, p.Part = probe.LeadTests, probe.PartTests
	for _, part := range j.bench.circuit.Parts {
		p.Parts = append(p.Parts, part.Name)
	}
}

// offerSetup lists the set-up actions that fit the circuit and do not hold yet.
func (p *jobPage) offerSetup(j *jobAt) {
	for _, part := range j.bench.circuit.Parts {
		verb := electric.DetachVerb(part.Kind())
		if verb == "" {
			continue
		}
		verbs := []electric.Verb{verb, electric.Renewed}
		if slices.Contains([]harness.Kind{harness.KindConnector, harness.KindGround, harness.KindRelay, harness.KindFuse}, part.Kind()) {
			verbs = append(verbs, electric.Cleaned) // an intervention: it may have mended a joint
		}
		for _, v := range verbs {
			words := electric.Action{Verb: v, Part: part.Name}.String()
			if !slices.Contains(p.Setup, words) {
				p.Settable = append(p.Settable, words)
			}
		}
		if swap, ok := probe.Neighbour(j.bench.circuit, probe.Lasting(j.state.Ledger), part.Name); ok && swap.Part == part.Name {
			p.Settable = append(p.Settable, swap.String())
		}
	}
}

// look gives what is laid over the sheet: the state, the suspicion and the readings.
func (p *jobPage) look(j *jobAt, as *diagnose.Assessment, r jobRequest) (*drawing.Look, error) {
	circuit := j.bench.circuit
	state := circuit.State(p.Shown)
	should, err := j.bench.model.Solve(electric.Condition{State: state, Setup: j.state.Ledger})
	if err != nil {
		return nil, err
	}
	look := &drawing.Look{
		Point: should, Parts: as.Belief.Parts, Wires: as.Belief.Wires, Cleared: map[string]bool{},
		Readings: map[string]string{}, Away: map[string]string{}, Expected: expected(should),
		PinURL: fmt.Sprintf("/jobs/%d?state=%s&pin=", j.ID, url.QueryEscape(p.Shown)),
		Title:  fmt.Sprintf("%s: the circuit in %s, as it should be", circuit.Title, p.Shown),
	}
	p.View = "should"
	p.Suspect = leading(as)
	if r.view == "suspect" && p.Suspect != "" {
		p.View = "suspect"
		if look.Point, err = j.bench.guide.Suppose(p.Suspect, probe.Test{State: state, Setup: j.state.Ledger}); err != nil {
			return nil, err
		}
		look.Title = fmt.Sprintf("%s: the circuit in %s with %s", circuit.Title, p.Shown, p.Suspect)
	}
	other := "suspect"
	if p.View == "suspect" {
		other = "should"
	}
	p.ViewURL = fmt.Sprintf("/jobs/%d?state=%s&view=%s", j.ID, url.QueryEscape(p.Shown), other)
	for _, part := range as.Cleared {
		look.Cleared[part] = true
	}
	for _, action := range j.state.Ledger {
		if action.Detaches() {
			look.Away[action.Part] = string(action.Verb)
		}
	}
	for _, o := range j.state.Seen {
		if o.Volts != nil && o.State == p.Shown && o.From == "" {
			look.Readings[o.At] = readingWord(o.Volts)
		}
	}
	if p.Card != nil {
		look.Next = p.Card.At
	}
	for _, w := range look.Point.Warnings {
		p.Warnings = append(p.Warnings, w.Text)
	}
	return look, nil
}

// leading is the likeliest suspect that is a fault, empty if there is none.
func leading(as *diagnose.Assessment) string {
	for _, s := range as.Suspects {
		if s.Fault != diagnose.NoFault && s.Fault != diagnose.SomethingElse {
			return s.Fault
		}
	}
	return ""
}

func readingWord(r *probe.Reading) string {
	if r.Open {
		return "OL"
	}
	return probe.FormatVolts(r.Figure)
}
