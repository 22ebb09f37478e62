package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"ironthread/core/harness"
	"ironthread/core/rewire"
)

func planCommand() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "plan REQUEST.yaml",
		Short: "Make a circuit of a wish: every way that can do it, sized, solved and broken on purpose",
		Args:  oneFile,
		RunE: func(cmd *cobra.Command, files []string) error {
			w, err := readWish(cmd, files[0])
			if err != nil {
				return inputError{err}
			}
			plan, err := rewire.Propose(cmd.Context(), w, nil)
			if err != nil {
				return err
			}
			if asJSON {
				return writeJSON(cmd.OutOrStdout(), plan)
			}
			return printPlan(cmd.OutOrStdout(), w, plan)
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "JSON for programs, whole harnesses included")
	return cmd
}

// readWish reads a wish, and the harness that is there now from the file that it names, beside it.
func readWish(cmd *cobra.Command, name string) (*rewire.Wish, error) {
	var b []byte
	var err error
	if name == "-" {
		b, err = io.ReadAll(io.LimitReader(cmd.InOrStdin(), 1<<20))
	} else {
		b, err = os.ReadFile(filepath.Clean(name))
	}
	if err != nil {
		return nil, err
	}
	w, err := rewire.Read(b)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	if w.Keep == "" {
		return w, nil
	}
	path := w.Keep
	if !filepath.IsAbs(path) && name != "-" {
		path = filepath.Join(filepath.Dir(name), path)
	}
	text, err := os.ReadFile(filepath.Clean(path))
	if err != nil {
		return nil, fmt.Errorf("%s: keep: %w", name, err)
	}
	if w.There, err = harness.Read(text); err != nil {
		return nil, fmt.Errorf("%s: %w", w.Keep, err)
	}
	return w, nil
}

func printPlan(out io.Writer, w *rewire.Wish, plan *rewire.Plan) error {
	t := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	fmt.Fprint(t, "way\t")
	for _, s := range w.Speeds {
		fmt.Fprintf(t, "%s: speed\tamps\tinrush\t", s)
	}
	fmt.Fprint(t, "wasted W\tno cooling\tprice\n")
	for _, p := range plan.Proposals {
		fmt.Fprintf(t, "%s\t", p.Family)
		for _, s := range w.Speeds {
			fmt.Fprintf(t, "%.0f %%\t%.1f\t%.0f\t", 100*p.Speeds[s], p.Amps[s], p.Inrush[s])
		}
		fmt.Fprintf(t, "%.0f\t%.1f %%\t%.0f\n", p.Heat[w.Speeds[0]], 100*p.Lost, p.Price)
	}
	if err := t.Flush(); err != nil {
		return err
	}
	if plan.Recommended != "" {
		fmt.Fprintf(out, "\nrecommended: %s: %s\n", plan.Recommended, strings.Join(plan.Because, "; "))
	}
	for _, p := range plan.Proposals {
		for _, warning := range p.Warnings {
			fmt.Fprintf(out, "%s: %s\n", p.Family, warning)
		}
	}
	for _, p := range plan.Proposals {
		if w.There == nil {
			continue
		}
		fmt.Fprintf(out, "\n%s, done to the harness that is there: %d\n", p.Family, p.Operations.Count())
		for _, list := range [][]string{p.Operations.Moved, p.Operations.Tapped, p.Operations.Laid, p.Operations.Cut, p.Operations.New,
			p.Operations.Left} {
			for _, text := range list {
				fmt.Fprintf(out, "  %s\n", text)
			}
		}
	}
	for _, r := range plan.Refused {
		fmt.Fprintf(out, "not %s: %s; what would free it: %s\n", r.Family, r.Why, r.Frees)
	}
	return nil
}
