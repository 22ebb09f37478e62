package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sort"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/core/trace"
)

func checkCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "check FILE…",
		Short: "Validate harness files",
		Args:  atLeastOneFile,
		RunE: func(cmd *cobra.Command, files []string) error {
			var bad []string
			for _, name := range files {
				c, err := readCircuit(cmd, name)
				var all harness.Errors
				switch {
				case errors.As(err, &all): // a line for each
					for _, e := range all {
						bad = append(bad, fmt.Sprintf("%s: %v", name, e))
					}
					continue
				case err != nil:
					bad = append(bad, err.Error())
					continue
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%s: %s: %d parts, %d wires, %d states\n",
					name, c.Title, len(c.Parts), len(c.Wires), len(c.States))
				if err := printDangers(cmd.OutOrStdout(), name, c); err != nil {
					bad = append(bad, fmt.Sprintf("%s: %v", name, err))
				}
			}
			if len(bad) > 0 {
				return badInput("%s", strings.Join(bad, "\nironthread: "))
			}
			return nil
		},
	}
}

// printDangers says where the circuit as drawn shorts the battery, opens a fuse, burns a wire or overheats a part, and whether its
// own strategy leaves a hot engine without a fan.
func printDangers(out io.Writer, name string, c *harness.Circuit) error {
	m, err := electric.New(c)
	if err != nil {
		return err
	}
	for _, w := range trace.Doubts(m) {
		fmt.Fprintf(out, "%s: warning: %s\n", name, w.Text)
	}
	for _, text := range repair.Uncooled(m) {
		fmt.Fprintf(out, "%s: warning: %s\n", name, text)
	}
	for _, s := range c.States {
		p, err := m.Solve(electric.Condition{State: s})
		if err != nil {
			return err
		}
		for _, w := range p.Warnings {
			if w.Kind == "short" || w.Kind == "heat" || w.Kind == "reversed" || w.Kind == "fuse" && p.Fuses[w.At].Open {
				fmt.Fprintf(out, "%s: warning: in %s: %s\n", name, s.Name, w.Text)
			}
		}
	}
	return nil
}

func atLeastOneFile(_ *cobra.Command, args []string) error {
	if len(args) == 0 {
		return badInput("name a harness file, or - for standard input")
	}
	return nil
}

func oneFile(_ *cobra.Command, args []string) error {
	if len(args) != 1 {
		return badInput("name one harness file, or - for standard input")
	}
	return nil
}

func writeJSON(w io.Writer, v any) error {
	enc := json.NewEncoder(w)
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

func solveCommand() *cobra.Command {
	var flags conditionFlags
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "solve FILE --state NAME",
		Short: "Compute the operating point of a circuit in a state",
		Args:  oneFile,
		RunE: func(cmd *cobra.Command, files []string) error {
			m, cond, err := flags.open(cmd, files[0])
			if err != nil {
				return err
			}
			p, err := m.Solve(cond)
			if err != nil {
				return inputError{err}
			}
			if asJSON {
				return writeJSON(cmd.OutOrStdout(), p)
			}
			return printPoint(cmd.OutOrStdout(), m, p)
		},
	}
	flags.register(cmd)
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

func printPoint(out io.Writer, m *electric.Model, p *electric.Point) error {
	w := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	fmt.Fprintf(w, "state %s, supply %.1f V\n", p.State, p.Supply)
	if !p.Settled {
		fmt.Fprintln(w, "does not come to rest")
	}
	for _, fan := range m.Circuit.Fans() {
		f := p.Motors[fan.Name]
		fmt.Fprintf(w, "%s\t%s\t%.2f V\t%.2f A\t%.0f rpm\t%s\n", fan.Name, f.Speed, f.Volts, f.Amps, f.RPM, fan.Label)
	}
	for _, k := range m.Circuit.OfKind(harness.KindRelay) {
		fmt.Fprintf(w, "%s\t%s\t\t\t\t%s\n", k.Name, p.Relays[k.Name], k.Label)
	}
	for _, f := range m.Circuit.OfKind(harness.KindFuse) {
		fuse := p.Fuses[f.Name]
		word := "whole"
		if fuse.Open {
			word = "open"
		}
		fmt.Fprintf(w, "%s\t%s\t\t%.2f A\t%.0f %%\t%s\n", f.Name, word, fuse.Amps, 100*fuse.Load, f.Label)
	}
	for _, part := range m.Circuit.Parts {
		h, warm := p.Heat[part.Name]
		switch {
		case !warm:
		case h.AboveAir > 0:
			fmt.Fprintf(w, "%s\theat\t\t%.0f W\tabout %.0f °C above the air\t%s\n", part.Name, h.Watts, h.AboveAir, part.Label)
		default:
			fmt.Fprintf(w, "%s\theat\t\t%.0f W\t\t%s\n", part.Name, h.Watts, part.Label)
		}
	}
	fmt.Fprintln(w, "\npin\tvolts")
	for _, pin := range m.Pins() {
		if v := p.Pins[pin.String()]; v == nil {
			fmt.Fprintf(w, "%s\tfloating\n", pin)
		} else {
			fmt.Fprintf(w, "%s\t%.3f\n", pin, *v)
		}
	}
	fmt.Fprintln(w, "\nwire\tamps")
	for _, wire := range p.Wires {
		fmt.Fprintf(w, "%s - %s\t%.3f\n", wire.From, wire.To, wire.Amps)
	}
	for _, warning := range p.Warnings {
		fmt.Fprintf(w, "\nwarning: %s", warning.Text)
	}
	fmt.Fprintln(w)
	return w.Flush()
}

func diagnoseCommand() *cobra.Command {
	var seenFile string
	var asJSON, streamed bool
	cmd := &cobra.Command{
		Use:   "diagnose FILE --seen OBSERVATIONS.yaml | --stream",
		Short: "Weigh what was seen: suspects, next moves, verdict",
		Args:  oneFile,
		RunE: func(cmd *cobra.Command, files []string) error {
			c, err := readCircuit(cmd, files[0])
			if err != nil {
				return err
			}
			if streamed {
				if seenFile != "" {
					return badInput("--stream reads observations from standard input; leave --seen out")
				}
				return stream(cmd, c)
			}
			var seen []probe.Observation
			if seenFile != "" {
				b, err := readFile(cmd, seenFile)
				if err != nil {
					return err
				}
				if seen, err = probe.ReadObservations(b, c); err != nil {
					return badInput("%s: %w", seenFile, err)
				}
			}
			g, err := guideOf(c)
			if err != nil {
				return err
			}
			a, err := assess(cmd.Context(), g, seen)
			if err != nil {
				return err
			}
			if asJSON {
				return writeJSON(cmd.OutOrStdout(), a)
			}
			return printAssessment(cmd.OutOrStdout(), a)
		},
	}
	cmd.Flags().StringVar(&seenFile, "seen", "", "observations file")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	cmd.Flags().BoolVar(&streamed, "stream", false, "JSON Lines: a list of observations a line in, the answer a line out")
	return cmd
}

// guideOf prepares the guide of a circuit.
func guideOf(c *harness.Circuit) (*diagnose.Guide, error) {
	m, err := electric.New(c)
	if err != nil {
		return nil, err
	}
	g, err := diagnose.New(m)
	if err != nil {
		return nil, inputError{err}
	}
	return g, nil
}

// assess weighs the observations; the car stands as the last of them left it.
func assess(ctx context.Context, g *diagnose.Guide, seen []probe.Observation) (*diagnose.Assessment, error) {
	var now diagnose.Now
	if len(seen) > 0 {
		last := &seen[len(seen)-1]
		var err error
		now.State = g.Circuit().State(last.State)
		if now.Setup, err = last.Check(g.Circuit()); err != nil {
			return nil, inputError{err}
		}
	}
	return g.Assess(ctx, seen, now)
}

func printAssessment(out io.Writer, a *diagnose.Assessment) error {
	w := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	fmt.Fprintf(w, "%d of %d suspects left\n", a.Left, a.Of)
	for i, s := range a.Suspects {
		if i == 12 {
			fmt.Fprintf(w, "… and %d more\n", len(a.Suspects)-i)
			break
		}
		same := ""
		if len(s.SameAs) > 0 {
			same = "same as " + strings.Join(s.SameAs, ", ")
		}
		fmt.Fprintf(w, "%.1f %%\t%s\t%s\n", 100*s.Probability, s.Fault, same)
	}
	if len(a.Cleared) > 0 {
		sort.Strings(a.Cleared)
		fmt.Fprintf(w, "cleared\t%s\n", strings.Join(a.Cleared, ", "))
	}
	for _, s := range a.Surprising {
		fmt.Fprintf(w, "surprising\t%s\n", s.Text)
	}
	for _, p := range a.Pairs {
		fmt.Fprintf(w, "two at once\t%s and %s (%.1f %%)\n", p.Faults[0], p.Faults[1], 100*p.Probability)
	}
	if v := a.Verdict; v != nil {
		fmt.Fprintf(w, "verdict\t%s (%.1f %%)\n", strings.Join(v.Faults, " or "), 100*v.Probability)
		for _, l := range v.Lacks {
			fmt.Fprintf(w, "\tproof lacks %s\n", l)
		}
	}
	for _, f := range a.Also {
		fmt.Fprintf(w, "also\t%s (%.1f %%), by what was measured, seen or felt there\n", f.Fault, 100*f.Probability)
	}
	if m := a.Mended; m != nil {
		fmt.Fprintf(w, "mended\t%s (%.1f %%)\n", m.Text, 100*m.Probability)
	}
	fmt.Fprintf(w, "outcome\t%s\n", a.Outcome)
	for i, m := range a.Next {
		fmt.Fprintf(w, "\nnext %d: %s (%.1f min, %.2f bits)\n", i+1, m.Title, m.Minutes, m.Bits)
		for _, s := range append(m.Steps, m.Cautions...) {
			fmt.Fprintf(w, "\t%s\n", s)
		}
		fmt.Fprintf(w, "\tif all were well: %s\n", m.Good)
		for _, o := range m.Outcomes {
			fmt.Fprintf(w, "\t%s (%.0f %%): leaves %s\n", o.Reading, 100*o.Probability, strings.Join(o.Leaves, ", "))
		}
	}
	return w.Flush()
}
