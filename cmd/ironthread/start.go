package main

import (
	"fmt"
	"io"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"ironthread/core/electric"
	"ironthread/core/harness"
)

func startCommand() *cobra.Command {
	var flags conditionFlags
	var asJSON bool
	var seconds float64
	var airless []string
	cmd := &cobra.Command{
		Use:   "start FILE --state NAME [--for SECONDS]",
		Short: "Run a start in time: inrush, spin-up, what it asks of the fuses",
		Args:  oneFile,
		RunE: func(cmd *cobra.Command, files []string) error {
			m, cond, err := flags.open(cmd, files[0])
			if err != nil {
				return err
			}
			run, err := m.Start(cond, []electric.Stage{{State: cond.State}}, seconds, airless...)
			if err != nil {
				return inputError{err}
			}
			if asJSON {
				return writeJSON(cmd.OutOrStdout(), run)
			}
			return printRun(cmd.OutOrStdout(), m, run)
		},
	}
	flags.register(cmd)
	cmd.Flags().Float64Var(&seconds, "for", 2, "seconds to run")
	cmd.Flags().StringArrayVar(&airless, "airless", nil, "a resistor card that is out of its airflow")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON, every series in full")
	return cmd
}

func printRun(out io.Writer, m *electric.Model, run *electric.Run) error {
	w := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	for _, fan := range m.Circuit.Fans() {
		f := run.Motors[fan.Name]
		fmt.Fprintf(w, "%s\tpeak %.1f A\truns at %.2f A\tsettles in %.2f s\t%s\n", fan.Name, f.Peak, f.Running, f.Settles, fan.Label)
	}
	for _, part := range m.Circuit.OfKind(harness.KindFuse) {
		f := run.Fuses[part.Name]
		word := "stands it"
		if f.OpenedAt != nil {
			word = fmt.Sprintf("opens after %.2f s", *f.OpenedAt)
		}
		fmt.Fprintf(w, "%s\tpeak %.1f A\t%.0f %% of a quick one's time used\t%s\n", part.Name, f.Peak, 100*f.UsedFast, word)
	}
	for _, e := range run.Events {
		fmt.Fprintf(w, "%.2f s\t%s\n", e.At, e.Text)
	}
	return w.Flush()
}
