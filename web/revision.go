package web

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/job"
)

// newer says what would change for a job that went by the newest revision of its harness.
type newer struct {
	Number int    // of the revision
	Text   string // what changes
}

// newerRevision looks whether an open job could go by a newer revision; a closed one never moves. One
// that differs only in where the parts stand on the drawing is none.
func (a *App) newerRevision(ctx context.Context, j *jobAt) (*newer, error) {
	if j.state.Closed || j.Newest == j.Revision {
		return nil, nil
	}
	h, err := a.keep.Revision(ctx, j.Newest)
	if err != nil {
		return nil, err
	}
	if circuitOf(h.Source) == circuitOf(j.Source) {
		return nil, nil
	}
	b, err := a.circuits.get(h.Source)
	if err != nil || b.guide == nil {
		return nil, nil // nobody is led to what cannot be worked with
	}
	return &newer{h.Number, changesFor(j, b.circuit)}, nil
}

// circuitOf is a file without its drawing's places.
func circuitOf(source string) string {
	text, _ := harness.SplitPlaces(source)
	return text
}

// changesFor says what is gone and what is new in a circuit against the one that a job goes by, and how
// many of its entries would count no longer.
func changesFor(j *jobAt, c *harness.Circuit) string {
	now := j.bench.circuit
	var list []string
	say := func(what string, names []string) {
		if len(names) > 0 {
			list = append(list, fmt.Sprintf("%s %s", what, strings.Join(names, ", ")))
		}
	}
	say("parts gone:", missing(partsOf(now), partsOf(c)))
	say("parts new:", missing(partsOf(c), partsOf(now)))
	say("wires gone:", missing(wiresOf(now), wiresOf(c)))
	say("wires new:", missing(wiresOf(c), wiresOf(now)))
	say("states gone:", missing(statesOf(now), statesOf(c)))
	if len(list) == 0 {
		list = append(list, "the same parts and wires, with other settings")
	}
	after := job.Fold(c, j.entries)
	if lost := len(j.state.Seen) - len(after.Seen); lost > 0 {
		list = append(list, fmt.Sprintf("%d of %d readings would no longer count", lost, len(j.state.Seen)))
	}
	if lost := len(j.state.Ledger) - len(after.Ledger); lost > 0 {
		list = append(list, fmt.Sprintf("%d entries of the ledger would no longer hold", lost))
	}
	return strings.Join(list, "; ")
}

func partsOf(c *harness.Circuit) []string {
	var names []string
	for _, p := range c.Parts {
		names = append(names, p.Name)
	}
	return names
}

func wiresOf(c *harness.Circuit) []string {
	var names []string
	for _, w := range c.Wires {
		names = append(names, w.String())
	}
	return names
}

func statesOf(c *harness.Circuit) []string {
	var names []string
	for _, s := range c.States {
		names = append(names, s.Name)
	}
	return names
}

// missing lists what is in one list and not in the other.
func missing(one, other []string) []string {
	return slices.DeleteFunc(slices.Clone(one), func(s string) bool { return slices.Contains(other, s) })
}

// moveJob takes an open job to the newest revision of its harness, by an entry that says what changes
// and can be struck.
func (a *App) moveJob(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	target, err := a.keep.Revision(c.Request.Context(), j.Newest)
	if err != nil {
		a.failWith(c, err)
		return
	}
	a.change(c, j, fmt.Sprintf("/jobs/%d", j.ID), nil, func(j *jobAt) ([]job.Entry, error) {
		if j.Newest != target.Revision || j.Revision == target.Revision {
			return nil, refused("The harness has changed again meanwhile, or the job goes by that revision already; look again.")
		}
		b, err := a.circuits.get(target.Source)
		if err != nil || b.guide == nil {
			return nil, refused("With the newer harness nothing can be diagnosed; the job stays with the one it has.")
		}
		text := fmt.Sprintf("revision %d instead of %d; %s", target.Number, j.Number, changesFor(j, b.circuit))
		return []job.Entry{{Kind: job.Moved, Body: job.Body{Revision: target.Revision, Text: text}}}, nil
	})
}
