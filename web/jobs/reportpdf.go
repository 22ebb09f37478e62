package jobs

import (
	"fmt"

	"ironthread/web/room"
)

// reportPDF sets the report on A4: first the owner's half page, then the technician's.
func reportPDF(p *reportPage) ([]byte, error) {
	doc := room.NewPDF(p.Job.Vehicle+": "+p.Job.Title, fmt.Sprintf("%s, job %d", p.Workshop, p.Job.ID), p.Printed)
	head, line := doc.Head, doc.Line
	head(p.Job.Vehicle + ": " + p.Job.Title)
	line(fmt.Sprintf("%s. Circuit: %s. Opened %s.", p.Workshop, p.Job.Harness, p.Job.OpenedAt.Format("2 Jan 2006")))
	head("For the owner")
	for _, s := range p.Owner {
		line(s)
	}
	p.foundIn(doc)
	if p.Excerpt != nil {
		head("On its page")
		doc.Picture(p.Excerpt, p.AtFault)
	}
	head("Verified")
	for _, t := range p.Verified {
		line(tickedWords(t.Text, t.Expect, t.Read, t.Done, t.Wrong))
	}
	if len(p.Causes) > 0 {
		head("Why it failed")
		for _, t := range p.Causes {
			line(tickedWords(t.Text, t.Expect, t.Read, t.Done, t.Wrong))
		}
	}
	p.logIn(doc)
	return doc.Bytes()
}

// foundIn sets what was found and done.
func (p *reportPage) foundIn(doc *room.PDF) {
	doc.Head("Found and done")
	if len(p.Found) == 0 {
		doc.Line("Nothing has been repaired.")
	}
	for _, r := range p.Found {
		proven := "on suspicion"
		if r.Proven {
			proven = "proven"
		}
		s := p.Did(r.Action)
		if r.Fault != "" {
			s = fmt.Sprintf("%s (%s): %s", r.Fault, proven, p.Did(r.Action))
		}
		if r.Text != "" {
			s += "; " + r.Text
		}
		if r.Parts != "" {
			s += "; parts: " + r.Parts
		}
		if r.Minutes > 0 {
			s += fmt.Sprintf("; %.0f min", r.Minutes)
		}
		doc.Line(s)
	}
}

// logIn sets the log.
func (p *reportPage) logIn(doc *room.PDF) {
	doc.Head("The log")
	for _, r := range p.Readings {
		s := fmt.Sprintf("%d  %s  %s: %s", r.Seq, r.At.Format("2 Jan 15:04"), p.signed(r), r.What)
		if r.Expected != "" {
			s += fmt.Sprintf(" (a good circuit: %s)", r.Expected)
		}
		if r.Setup != "" {
			s += " [" + r.Setup + "]"
		}
		if r.Struck {
			s += " STRUCK OUT"
		}
		for _, n := range r.Notes {
			s += " - note: " + n
		}
		doc.Line(s)
	}
}

func tickedWords(text, expect, read string, done, wrong bool) string {
	switch {
	case !done:
		return "[  ] " + text + ": " + expect
	case wrong:
		return "[!] " + text + ": " + expect + "; seen: " + read
	}
	return "[x] " + text + ": " + read
}
