// Command ironthread is the one binary: thin commands over the packages.
//
// Bad input is one clear line on standard error and exit code 2; anything else that fails is
// exit code 1.
package main

import (
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// inputError is what the user wrote that cannot be taken.
type inputError struct{ error }

func (e inputError) Unwrap() error { return e.error }

func badInput(format string, args ...any) error { return inputError{fmt.Errorf(format, args...)} }

func main() { os.Exit(run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }

func run(args []string, in io.Reader, out, errs io.Writer) int {
	root := &cobra.Command{
		Use:           "ironthread",
		Short:         "Diagnose and rewire engine cooling-fan circuits",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.CompletionOptions.DisableDefaultCmd = true
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(plainWriter{out})
	root.SetErr(plainWriter{errs})
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return inputError{err} })
	root.AddCommand(checkCommand(), solveCommand(), startCommand(), studyCommand(), planCommand(), simCommand(),
		diagnoseCommand(), measureCommand(), scanCommand(),
		exportCommand(), schemaCommand(), serveCommand(), demoCommand(), backupCommand(), restoreCommand(), letInCommand())
	if err := root.Execute(); err != nil {
		fmt.Fprintf(root.ErrOrStderr(), "ironthread: %v\n", err)
		var input inputError
		if errors.As(err, &input) {
			return 2
		}
		var loose looseError
		if errors.As(err, &loose) {
			return 3
		}
		return 1
	}
	return 0
}

// readFile reads a named file, or standard input for "-"; at most one byte more than a
// harness may have, so that what is too large is seen to be.
func readFile(cmd *cobra.Command, name string) ([]byte, error) {
	source := cmd.InOrStdin()
	if name != "-" {
		f, err := os.Open(name)
		if err != nil {
			return nil, inputError{err}
		}
		defer f.Close()
		source = f
	}
	b, err := io.ReadAll(io.LimitReader(source, harness.MaxBytes+1))
	if err != nil {
		return nil, badInput("%s: %w", name, err)
	}
	return b, nil
}

func readCircuit(cmd *cobra.Command, name string) (*harness.Circuit, error) {
	b, err := readFile(cmd, name)
	if err != nil {
		return nil, err
	}
	c, err := harness.Read(b)
	if err != nil {
		return nil, badInput("%s: %w", name, err)
	}
	return c, nil
}

// conditionFlags are the flags of every command that computes one operating point.
type conditionFlags struct {
	state  string
	after  []string
	faults []string
	setup  []string
}

func (f *conditionFlags) register(cmd *cobra.Command) {
	cmd.Flags().StringVar(&f.state, "state", "", "the state to enter (required)")
	cmd.Flags().StringSliceVar(&f.after, "after", nil, "states entered first, in order")
	cmd.Flags().StringArrayVar(&f.faults, "fault", nil, `a fault, as in "F3 open"; may be repeated`)
	cmd.Flags().StringArrayVar(&f.setup, "setup", nil, `a set-up action, as in "K2 out"; may be repeated`)
}

// open reads a harness file and the condition the flags ask for.
func (f *conditionFlags) open(cmd *cobra.Command, name string) (*electric.Model, electric.Condition, error) {
	c, err := readCircuit(cmd, name)
	if err != nil {
		return nil, electric.Condition{}, err
	}
	cond, err := f.condition(c)
	if err != nil {
		return nil, cond, err
	}
	m, err := electric.New(c)
	return m, cond, err
}

func (f *conditionFlags) condition(c *harness.Circuit) (cond electric.Condition, err error) {
	if f.state == "" {
		return cond, badInput("--state is needed: which state the car is in")
	}
	if cond.State, err = c.FindState(f.state); err != nil {
		return cond, inputError{err}
	}
	for _, name := range f.after {
		s, err := c.FindState(name)
		if err != nil {
			return cond, inputError{err}
		}
		cond.After = append(cond.After, s)
	}
	for _, words := range f.faults {
		parsed, err := fault.Parse(c, words)
		if err != nil {
			return cond, inputError{err}
		}
		cond.Faults = append(cond.Faults, parsed)
	}
	if cond.Setup, err = electric.ParseSetup(c, f.setup); err != nil {
		return cond, inputError{err}
	}
	return cond, nil
}
