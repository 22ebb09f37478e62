package main

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/sheet"
	"ironthread/web/drawing"
)

func measureCommand() *cobra.Command {
	var flags conditionFlags
	var volts, ohms, lamp, heavy, led, amps, from string
	var asJSON bool
	var q electric.Measurement
	cmd := &cobra.Command{
		Use:   "measure FILE --state NAME (--volts PIN | --ohms PIN PIN | --lamp PIN | --heavy-lamp PIN | --led PIN | --amps PIN) [--from PIN]",
		Short: "Predict one reading",
		Args:  cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return badInput("name one harness file, or - for standard input")
			}
			m, cond, err := flags.open(cmd, args[0])
			if err != nil {
				return err
			}
			q.Condition = cond
			if q.Leads < 0 {
				return badInput("leads have no less than no ohms")
			}
			if ohms != "" && len(args) == 2 { // --ohms A B
				from, args = args[1], args[:1]
			}
			if len(args) != 1 {
				return badInput("name one harness file, not %s", strings.Join(args, " and "))
			}
			pin := ""
			for instrument, given := range map[electric.Instrument]string{
				electric.Voltmeter: volts, electric.Ohmmeter: ohms, electric.Lamp: lamp,
				electric.HeavyLamp: heavy, electric.LEDTester: led, electric.Clamp: amps,
			} {
				if given == "" {
					continue
				}
				if pin != "" {
					return badInput("one instrument at a time")
				}
				pin, q.Instrument = given, instrument
			}
			if pin == "" {
				return badInput("name an instrument and a pin, as in --volts K1.30")
			}
			if q.At, err = m.Circuit.FindPin(pin); err != nil {
				return inputError{err}
			}
			if from != "" {
				if q.From, err = m.Circuit.FindPin(from); err != nil {
					return inputError{err}
				}
			}
			r, err := m.Measure(q)
			if err != nil {
				return inputError{err}
			}
			if asJSON {
				return writeJSON(cmd.OutOrStdout(), r)
			}
			_, err = fmt.Fprintln(cmd.OutOrStdout(), measuredWords(r))
			return err
		},
	}
	flags.register(cmd)
	f := cmd.Flags()
	f.StringVar(&volts, "volts", "", "voltmeter (10 MΩ) at this pin")
	f.StringVar(&ohms, "ohms", "", "ohmmeter between this pin and the next word")
	f.StringVar(&lamp, "lamp", "", "filament test lamp at this pin")
	f.StringVar(&heavy, "heavy-lamp", "", "heavy test lamp at this pin")
	f.StringVar(&led, "led", "", "LED tester at this pin")
	f.StringVar(&amps, "amps", "", "clamp: current into this pin")
	f.StringVar(&from, "from", "", "the other lead; the battery's negative post unless given")
	f.Float64Var(&q.Leads, "leads", 0, "ohms of the ohmmeter's leads, not nulled")
	f.Float64Var(&q.Zero, "zero", 0, "amps the clamp shows before the fans run")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

// measuredWords spells a reading in a line.
func measuredWords(r *electric.Measured) string {
	s := r.Word
	if r.Figure != nil {
		figure := strconv.FormatFloat(*r.Figure, 'g', 4, 64) + " " + r.Unit
		if s == "" {
			s = figure
		} else {
			s += " (" + figure + ")"
		}
		if r.Shows != nil {
			s += " (the display shows " + strconv.FormatFloat(*r.Shows, 'g', 4, 64) + " " + r.Unit + ")"
		}
	}
	return strings.Join(append([]string{s}, r.Notes...), "\n")
}

func schemaCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "schema",
		Short: "Print the JSON Schema of the harness file, for editors",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, err := cmd.OutOrStdout().Write(harness.Schema())
			return err
		},
	}
}

func exportCommand() *cobra.Command {
	var flags conditionFlags
	var as string
	cmd := &cobra.Command{
		Use:   "export FILE --as spice|csv|svg|json [--state NAME]",
		Short: "Write a harness in an open format",
		Args:  oneFile,
		RunE: func(cmd *cobra.Command, files []string) error {
			out := cmd.OutOrStdout()
			switch as {
			case "csv", "json", "svg":
			case "spice":
				m, cond, err := flags.open(cmd, files[0])
				if err != nil {
					return err
				}
				return m.Netlist(out, cond)
			default:
				return badInput("--as is one of spice, csv, svg, json, not %q", as)
			}
			b, err := readFile(cmd, files[0])
			if err != nil {
				return err
			}
			c, err := harness.Read(b)
			if err != nil {
				return badInput("%s: %w", files[0], err)
			}
			switch as {
			case "csv":
				return c.WriteWireList(out)
			case "json":
				return harness.WriteJSON(out, b)
			}
			return exportSVG(out, c, &flags)
		},
	}
	flags.register(cmd)
	cmd.Flags().StringVar(&as, "as", "", "spice, csv, svg or json")
	return cmd
}

// exportSVG draws the circuit, in a state where one is named.
func exportSVG(out io.Writer, c *harness.Circuit, flags *conditionFlags) error {
	look := &drawing.Look{Title: c.Title}
	if flags.state != "" {
		cond, err := flags.condition(c)
		if err != nil {
			return err
		}
		m, err := electric.New(c)
		if err != nil {
			return err
		}
		if look.Point, err = m.Solve(cond); err != nil {
			return inputError{err}
		}
	}
	_, err := fmt.Fprint(out, drawing.Standalone(sheet.Draw(c), look))
	return err
}
