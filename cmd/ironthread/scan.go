package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"ironthread/core/harness"
	"ironthread/library"
	"ironthread/scan"
	"ironthread/scan/describe"
	"ironthread/scan/doip"
)

// event is one line of what a scan did.
type event struct {
	At      float64  `json:"at"` // seconds since it began
	Event   string   `json:"event"`
	What    string   `json:"what,omitempty"`
	Value   *float64 `json:"value,omitempty"`
	Because string   `json:"because,omitempty"`
}

// scanFlags are what a scan is asked for.
type scanFlags struct {
	data, command      string
	who, values, codes bool
	clear, asJSON      bool
	hold, watch        time.Duration
	keys               []string
	out                io.Writer
	began              time.Time
	description        *describe.Vehicle
	commands           map[string]float64
	commandName        string
}

// looseError is control that may not have been given back.
type looseError struct{ error }

func scanCommand() *cobra.Command {
	f := &scanFlags{}
	cmd := &cobra.Command{
		Use:   "scan ADDRESS",
		Short: "Values, codes and commands of a vehicle: doip://HOST[:13400], can:can0, socketcand://HOST:29536/can0",
		Args:  oneFile,
		RunE: func(cmd *cobra.Command, args []string) error {
			f.out, f.began = cmd.OutOrStdout(), time.Now()
			if err := f.check(cmd); err != nil {
				return err
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			return f.run(ctx, args[0])
		},
	}
	cmd.Flags().StringVar(&f.data, "data", "", "the file of the vehicle's data; without it: emissions diagnostics, or what a truck sends")
	cmd.Flags().BoolVar(&f.who, "who", false, "who answers")
	cmd.Flags().BoolVar(&f.values, "values", false, "all values once")
	cmd.Flags().BoolVar(&f.codes, "codes", false, "the stored codes")
	cmd.Flags().BoolVar(&f.clear, "clear", false, "the codes read and printed, then cleared; on emissions diagnostics readiness and "+
		"freeze frames go with them")
	cmd.Flags().StringVar(&f.command, "command", "", "a state of the harness, an output, or OUTPUT=VALUE in percent, several with commas")
	cmd.Flags().DurationVar(&f.hold, "hold", 20*time.Second, "how long a command holds, up to 2m")
	cmd.Flags().DurationVar(&f.watch, "watch", 0, "values again and again for so long")
	cmd.Flags().StringArrayVar(&f.keys, "key-program", nil, "NAME=PATH: the program that makes the key of this name from a seed")
	cmd.Flags().BoolVar(&f.asJSON, "json", false, "one event a line")
	return cmd
}

// check reads what is asked for. The error is one of the input.
func (f *scanFlags) check(cmd *cobra.Command) error {
	asked := 0
	for _, on := range []bool{f.who, f.values, f.codes, f.clear, f.command != "", f.watch > 0} {
		if on {
			asked++
		}
	}
	switch {
	case asked == 0:
		return badInput("say what is asked: --who, --values, --codes, --clear, --command or --watch")
	case asked > 1:
		return badInput("one thing at a time: --who, --values, --codes, --clear, --command or --watch")
	case f.hold <= 0 || f.hold > scan.CommandLastsMost:
		return badInput("--hold is up to %v, not %v", scan.CommandLastsMost, f.hold)
	}
	if f.data != "" {
		b, err := readFile(cmd, f.data)
		if err != nil {
			return err
		}
		if f.description, err = describe.Read(b); err != nil {
			return badInput("%s: %w", f.data, err)
		}
	}
	if f.command == "" {
		return nil
	}
	if f.description == nil {
		return badInput("a command needs --data, the file that names the vehicle's outputs")
	}
	return f.readCommand()
}

// readCommand makes duties of what is to be commanded.
func (f *scanFlags) readCommand() error {
	f.commands, f.commandName = map[string]float64{}, f.command
	if c := f.itsHarness(); c != nil && !strings.Contains(f.command, "=") {
		if s := c.State(f.command); s != nil {
			for _, command := range c.CommandsIn(s, nil, harness.Heard{}) {
				f.commands[command] = 100
				if duty, known := c.DutyIn(s, command, harness.Heard{}); known {
					f.commands[command] = duty
				}
			}
			return nil
		}
	}
	for _, part := range strings.Split(f.command, ",") {
		name, value, given := strings.Cut(strings.TrimSpace(part), "=")
		if _, there := f.description.Outputs[name]; !there {
			return badInput("the data description has no output %q (%s)", name, strings.Join(f.description.InOrder(), ", "))
		}
		f.commands[name] = 100
		if given {
			v, err := strconv.ParseFloat(value, 64)
			if err != nil || !(v >= 0 && v <= 100) {
				return badInput("%s: %q is no duty from 0 to 100", name, value)
			}
			f.commands[name] = v
		}
	}
	return nil
}

// itsHarness is the harness that the description names: of the library, or a file beside the description.
func (f *scanFlags) itsHarness() *harness.Circuit {
	name := f.description.Harness
	if name == "" {
		return nil
	}
	if e, err := library.Open(name); err == nil {
		return e.Circuit
	}
	if filepath.Base(name) != name {
		return nil
	}
	text, err := os.ReadFile(filepath.Join(filepath.Dir(f.data), name+".harness.yaml"))
	if err != nil {
		return nil
	}
	c, err := harness.Read(text)
	if err != nil {
		return nil
	}
	return c
}

func (f *scanFlags) say(what, name string, value *float64, because string) {
	e := event{At: float64(time.Since(f.began).Milliseconds()) / 1000, Event: what, What: name, Value: value, Because: because}
	if f.asJSON {
		_ = json.NewEncoder(f.out).Encode(e) // where nobody reads it nothing is lost but the line
		return
	}
	line := fmt.Sprintf("%7.1f s  %s", e.At, what)
	if name != "" {
		line += " " + name
	}
	if value != nil {
		line += fmt.Sprintf(" %.4g", *value)
	}
	if because != "" {
		line += ": " + because
	}
	fmt.Fprintln(f.out, line)
}

// run connects and does what is asked.
func (f *scanFlags) run(ctx context.Context, address string) error {
	programs, err := keyPrograms(f.keys)
	if err != nil {
		return err
	}
	if host, ok := strings.CutPrefix(address, "doip://"); ok {
		if !strings.Contains(host, ":") {
			host = fmt.Sprintf("%s:%d", host, doip.Port)
		}
		if f.who {
			return f.whoIP(ctx, host)
		}
		if f.description == nil {
			return badInput("over IP --data is needed: which identifier means what")
		}
		// The link outlives an interrupt for as long as giving back takes.
		v, err := scan.ConnectIP(context.WithoutCancel(ctx), host, f.description, scan.KeyPrograms(programs))
		if err != nil {
			f.say("refused", address, nil, err.Error())
			return err
		}
		return f.talk(ctx, v)
	}
	if !strings.HasPrefix(address, "can:") && !strings.HasPrefix(address, "socketcand://") {
		return badInput("%q is no address: doip://HOST, can:can0 or socketcand://HOST:29536/can0", address)
	}
	bus, err := scan.OpenBus(ctx, address)
	if err != nil {
		f.say("refused", address, nil, err.Error())
		return err
	}
	if l, speaks := scan.SpeaksJ1939(ctx, bus); speaks {
		return f.listen(ctx, l)
	}
	v, err := scan.ConnectCAN(context.WithoutCancel(ctx), bus, f.description, scan.KeyPrograms(programs))
	if err != nil {
		f.say("refused", address, nil, err.Error())
		return err
	}
	return f.talk(ctx, v)
}

// keyPrograms reads NAME=PATH for each program that makes keys.
func keyPrograms(list []string) (map[string]string, error) {
	programs := map[string]string{}
	for _, k := range list {
		name, path, ok := strings.Cut(k, "=")
		if !ok || name == "" || path == "" {
			return nil, badInput("--key-program is NAME=PATH, not %q", k)
		}
		programs[name] = path
	}
	return programs, nil
}

// whoIP lists who answers at an address, or on the whole network where the address is a broadcast one.
func (f *scanFlags) whoIP(ctx context.Context, host string) error {
	ctx, cancel := context.WithTimeout(ctx, time.Second)
	defer cancel()
	if strings.Contains(host, "255:") {
		found, err := scan.Discover(ctx, host)
		if err != nil {
			return badInput("%w", err)
		}
		for _, at := range slices.Sorted(maps.Keys(found)) {
			f.say("value", at, nil, found[at].VIN)
		}
		if len(found) == 0 {
			return errors.New("nobody answers")
		}
		return nil
	}
	id, said := scan.Identify(ctx, host)
	if !said {
		return errors.New("nobody says who is there; a vehicle may be connected all the same")
	}
	address := float64(id.Address)
	f.say("value", "identification number", nil, id.VIN)
	f.say("value", "address", &address, "")
	return nil
}

// talk does what is asked, and gives back whatever it commanded.
func (f *scanFlags) talk(ctx context.Context, v *scan.Vehicle) (err error) {
	defer func() {
		v.Close()
		if loose := v.MayRun(); loose != nil {
			f.say("lost", f.commandName, nil, loose.Error())
			err = looseError{loose}
		}
	}()
	switch {
	case f.who:
		f.say("value", "identification number", nil, v.Identity().VIN)
		return nil
	case f.values:
		return f.read(ctx, v)
	case f.codes, f.clear:
		return f.readCodes(v)
	case f.command != "":
		return f.holdCommand(ctx, v)
	}
	end := time.NewTimer(f.watch)
	defer end.Stop()
	tick := time.NewTicker(watchEvery)
	defer tick.Stop()
	for {
		if err := f.read(ctx, v); err != nil {
			return err
		}
		select {
		case <-end.C:
			return nil
		case <-ctx.Done():
			return nil
		case <-tick.C:
		}
	}
}

// watchEvery is how often values are read while they are watched.
const watchEvery = 500 * time.Millisecond

func (f *scanFlags) read(ctx context.Context, v *scan.Vehicle) error {
	r, err := v.Read(ctx, v.Names()...)
	for _, name := range v.Names() {
		if value, ok := r.Values[name]; ok {
			f.say("value", name, &value, v.Means(name, value))
		}
	}
	for _, name := range r.Stale {
		f.say("stale", name, nil, "no answer")
	}
	if err != nil {
		f.say("lost", "", nil, err.Error())
	}
	return err
}

func (f *scanFlags) readCodes(v *scan.Vehicle) error {
	codes, beside, err := v.CodesBeside()
	if err != nil {
		f.say("refused", "codes", nil, err.Error())
		return err
	}
	for _, c := range codes {
		name, words := c.Name(), c.StatusWords()
		if kind := c.Failure(); kind != "" {
			name += "-" + kind
		}
		if kept := beside[c.Number].Words(); kept != "" {
			words += "; when it was set: " + kept
		}
		f.say("code", name, nil, words)
	}
	if !f.clear {
		return nil
	}
	if err := v.ClearCodes(); err != nil {
		f.say("refused", "clear", nil, err.Error())
		return err
	}
	f.say("value", "cleared", nil, "after they were read; readiness and freeze frames went with them")
	return nil
}

func (f *scanFlags) holdCommand(ctx context.Context, v *scan.Vehicle) error {
	if err := v.CommandFor(f.commandName, f.commands, f.hold); err != nil {
		f.say("refused", f.commandName, nil, err.Error())
		return err
	}
	f.say("commanded", f.commandName, nil, fmt.Sprintf("for up to %v", f.hold))
	end := time.NewTimer(f.hold)
	defer end.Stop()
	select {
	case <-end.C:
	case <-ctx.Done():
	}
	if err := v.Return(); err != nil {
		return err
	}
	f.say("given back", f.commandName, nil, "")
	return nil
}

// listen hears a truck: nothing is sent to it.
func (f *scanFlags) listen(ctx context.Context, l *scan.Listener) error {
	if f.command != "" || f.clear {
		f.say("refused", f.commandName, nil, "this bus speaks J1939: it is listened to, and nothing is sent there")
		return errors.New("this bus speaks J1939: it is listened to, and nothing is sent there")
	}
	within := max(f.watch, 3*time.Second)
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	select {
	case <-ctx.Done():
	case <-l.Done():
	}
	t := l.Truck()
	for _, name := range slices.Sorted(maps.Keys(t.Values)) {
		v := t.Values[name]
		f.say("value", name, &v, "")
	}
	if t.Fan != "" {
		f.say("value", "fan drive", nil, t.Fan)
	}
	for _, c := range t.Codes {
		f.say("code", fmt.Sprintf("SPN %d FMI %d", c.Suspect, c.Failure), nil, fmt.Sprintf("counted %d times", c.Count))
	}
	return nil
}
