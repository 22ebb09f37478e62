package main

import (
	"context"
	"fmt"
	"io"
	"runtime"
	"text/tabwriter"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/harness"
	playing "ironthread/core/study"
	"ironthread/library"
)

// studied is the whole study of one circuit.
type studied struct {
	Circuit  string          `json:"circuit"`
	Guide    *playing.Report `json:"guide"`    // every fault, every reading right
	Textbook *playing.Report `json:"textbook"` // the same in the fixed order
	Ratio    float64         `json:"minutes-against-textbook"`
	Spread   *playing.Report `json:"spread"` // random cars, misreads
	Doubles  *playing.Report `json:"doubles"`
	Shorts   *playing.Report `json:"shorts"`             // wires against ground or battery, played to the repair
	AsTaken  *playing.Report `json:"as-taken,omitempty"` // the engine running, read as people do
}

func studyCommand() *cobra.Command {
	var every, spread, doubles int
	var misread float64
	var all, asJSON, asTaken bool
	cmd := &cobra.Command{
		Use:   "study FILE… | --library",
		Short: "Play every fault through the guide, beside the fixed textbook order and the entropy bound",
		Args:  cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, files []string) error {
			circuits, err := studyCircuits(cmd, files, all)
			if err != nil {
				return err
			}
			if every < 1 || spread < 1 || doubles < 0 || misread < 0 || misread > 0.5 {
				return badInput("--every and --spread are at least 1, --doubles at least 0, --misread from 0 to 0.5")
			}
			list := make([]*studied, len(circuits))
			group, ctx := errgroup.WithContext(cmd.Context())
			group.SetLimit(runtime.GOMAXPROCS(0))
			for k, c := range circuits {
				group.Go(func() (err error) {
					if asTaken {
						list[k], err = studyAsTaken(ctx, c, playing.Options{Every: every, Spread: spread, Misread: misread, AsTaken: true})
						return err
					}
					list[k], err = studyOne(ctx, c, []playing.Options{
						{Every: every}, {Every: every, Policy: playing.Textbook},
						{Every: every, Spread: spread, Misread: misread}, {Doubles: doubles}, {Every: every, Shorts: true, Repair: true},
					})
					if !asJSON && err == nil {
						fmt.Fprintf(cmd.ErrOrStderr(), "played: %s\n", c.Title)
					}
					return err
				})
			}
			if err := group.Wait(); err != nil {
				return inputError{err}
			}
			if asJSON {
				return writeJSON(cmd.OutOrStdout(), list)
			}
			if asTaken {
				return printAsTaken(cmd.OutOrStdout(), list)
			}
			return printStudy(cmd.OutOrStdout(), list)
		},
	}
	cmd.Flags().BoolVar(&all, "library", false, "study every circuit that ships")
	cmd.Flags().IntVar(&every, "every", 1, "play every so-manyth fault only")
	cmd.Flags().IntVar(&spread, "spread", 1, "random cars a fault")
	cmd.Flags().IntVar(&doubles, "doubles", 30, "pairs of faults")
	cmd.Flags().Float64Var(&misread, "misread", 0.02, "chance that a reading is taken wrong")
	cmd.Flags().BoolVar(&asTaken, "as-taken", false, "only this: engine running, leads not nulled, buzzer, rounded, a joint cleaned before")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON, every fault and its tests")
	return cmd
}

func studyCircuits(cmd *cobra.Command, files []string, all bool) ([]*harness.Circuit, error) {
	var circuits []*harness.Circuit
	if all {
		entries, err := library.All()
		if err != nil {
			return nil, err
		}
		for _, e := range entries {
			circuits = append(circuits, e.Circuit)
		}
	}
	for _, file := range files {
		c, err := readCircuit(cmd, file)
		if err != nil {
			return nil, err
		}
		circuits = append(circuits, c)
	}
	if len(circuits) == 0 {
		return nil, badInput("name a harness file, or --library")
	}
	return circuits, nil
}

// studyAsTaken plays every fault with readings as people take them.
func studyAsTaken(ctx context.Context, c *harness.Circuit, o playing.Options) (*studied, error) {
	m, err := electric.New(c)
	if err != nil {
		return nil, err
	}
	g, err := diagnose.New(m)
	if err != nil {
		return nil, err
	}
	s := &studied{Circuit: c.Title}
	s.AsTaken, err = playing.Play(ctx, g, o, nil)
	return s, err
}

// printAsTaken prints a line a circuit, and the mean.
func printAsTaken(out io.Writer, list []*studied) error {
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "circuit\tright\tsure, wrong\ttests\tminutes")
	var right, wrong, tests, minutes float64
	line := func(name string, of, right, wrong, tests, minutes float64) {
		fmt.Fprintf(w, "%s\t%.1f %%\t%.1f %%\t%.1f\t%.1f\n", name, 100*right/of, 100*wrong/of, tests/of, minutes/of)
	}
	for _, s := range list {
		r := s.AsTaken
		line(s.Circuit, 1, r.Right, r.ConfidentWrong, r.MeanTests, r.MeanMinutes)
		right, wrong, tests, minutes = right+r.Right, wrong+r.ConfidentWrong, tests+r.MeanTests, minutes+r.MeanMinutes
	}
	line("mean", float64(len(list)), right, wrong, tests, minutes)
	return w.Flush()
}

func studyOne(ctx context.Context, c *harness.Circuit, runs []playing.Options) (*studied, error) {
	m, err := electric.New(c)
	if err != nil {
		return nil, err
	}
	g, err := diagnose.New(m)
	if err != nil {
		return nil, err
	}
	s := &studied{Circuit: c.Title}
	for k, at := range []**playing.Report{&s.Guide, &s.Textbook, &s.Spread, &s.Doubles, &s.Shorts} {
		if k == 3 && runs[k].Doubles == 0 {
			continue
		}
		if *at, err = playing.Play(ctx, g, runs[k], nil); err != nil {
			return nil, err
		}
	}
	if s.Textbook.MeanMinutes > 0 {
		s.Ratio = s.Guide.MeanMinutes / s.Textbook.MeanMinutes
	}
	return s, nil
}

func printStudy(out io.Writer, list []*studied) error {
	w := tabwriter.NewWriter(out, 0, 4, 2, ' ', 0)
	fmt.Fprintln(w, "circuit\tright\ttests\tproof\tp95\tmax\tminutes\ttextbook\tratio\tbound\tspread right\tsure, wrong\tdoubles\t"+
		"wrong repairs\tshorts\twrong repairs")
	var sum struct{ right, minutes, textbook, spread, sure, doubles, wrong, over, shorts, shortsWrong, shortsOf float64 }
	n := float64(len(list))
	for _, s := range list {
		fmt.Fprintf(w, "%s\t%.1f %%\t%.1f\t%.1f\t%d\t%d\t%.1f\t%.1f\t%.2f\t%.1f\t%.1f %%\t%.1f %%", s.Circuit, 100*s.Guide.Right,
			s.Guide.MeanToName,
			s.Guide.MeanTests, s.Guide.P95Tests, s.Guide.MaxTests, s.Guide.MeanMinutes, s.Textbook.MeanMinutes, s.Ratio, s.Guide.BoundTests,
			100*s.Spread.Right, 100*s.Spread.ConfidentWrong)
		if s.Doubles != nil {
			fmt.Fprintf(w, "\t%.1f %%\t%.2f", 100*s.Doubles.Right, s.Doubles.WrongRepairs)
			sum.doubles, sum.wrong = sum.doubles+s.Doubles.Right/n, sum.wrong+s.Doubles.WrongRepairs/n
		}
		fmt.Fprintf(w, "\t%.1f %% of %d\t%.2f\n", 100*s.Shorts.Right, len(s.Shorts.Trials), s.Shorts.WrongRepairs)
		played := float64(len(s.Shorts.Trials))
		sum.shorts, sum.shortsWrong, sum.shortsOf = sum.shorts+played*s.Shorts.Right, sum.shortsWrong+played*s.Shorts.WrongRepairs,
			sum.shortsOf+played
		sum.right, sum.minutes, sum.textbook = sum.right+s.Guide.Right/n, sum.minutes+s.Guide.MeanMinutes/n, sum.textbook+s.Textbook.MeanMinutes/n
		sum.spread, sum.sure = sum.spread+s.Spread.Right/n, sum.sure+s.Spread.ConfidentWrong/n
		sum.over += s.Guide.MeanTests / s.Guide.BoundTests / n
	}
	fmt.Fprintf(w, "mean\t%.1f %%\t\t\t\t\t%.1f\t%.1f\t%.2f\t%.2f times\t%.1f %%\t%.1f %%\t%.1f %%\t%.2f\t%.1f %% of %.0f\t%.2f\n",
		100*sum.right, sum.minutes, sum.textbook,
		sum.minutes/sum.textbook, sum.over, 100*sum.spread, 100*sum.sure, 100*sum.doubles, sum.wrong,
		100*sum.shorts/max(1, sum.shortsOf), sum.shortsOf, sum.shortsWrong/max(1, sum.shortsOf))
	return w.Flush()
}
