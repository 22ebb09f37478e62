// Package scan is the link to a vehicle and to a meter: it asks by published protocols and gives what came back in the
// product's own terms.
//
// In goes an address and a data description, out come values, codes, and what a command came to. The one idea: whatever was
// tried to be commanded is given back, on leaving, on a fault and when its time is over, for as long as the connection lives; and where
// nobody confirms that, it is said that the output may still be on.
package scan

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"ironthread/scan/describe"
	"ironthread/scan/doip"
	"ironthread/scan/uds"
)

// Tester is this tester's own address, one of those that ISO 13400-2 keeps for testers.
const Tester uint16 = 0x0E00

// Times of the link. An answer comes within the first; where the control unit says that it is still at work, within what its session
// allows, and within the last in all.
const (
	answerWithin  = 2 * time.Second
	usualPending  = 5 * time.Second // P2* of ISO 14229-2 where a session says nothing
	answerAtMost  = 15 * time.Second
	busyAgain     = 200 * time.Millisecond
	mostBusy      = 3
	presentEvery  = 2 * time.Second
	dialWithin    = 4 * time.Second
	giveBackTimes = 2 // that each output is given back where nobody answers
	silentRounds  = 3 // requests without an answer, one after the other, after which a round of reading ends
)

// Times that a command holds before it is given back by itself: where nothing is said, and at the most.
const (
	CommandLasts     = 45 * time.Second
	CommandLastsMost = 120 * time.Second
)

// ErrLost is a connection that has ended.
var ErrLost = errors.New("the connection to the vehicle is lost")

// errNoAnswer is a request that nobody answered; the link lives.
var errNoAnswer = errors.New("no answer in time")

// errGaveWay is a request that was given up, since something had to be given back at once.
var errGaveWay = errors.New("given up: what was commanded is being given back")

// Loose is control that may not have been given back: what was commanded, and why nobody knows.
type Loose struct{ Why error }

func (l *Loose) Error() string {
	return fmt.Sprintf("nobody confirms that control was given back (%v): it may be running; key off stops it. By the standard the vehicle "+
		"lets go by itself within some seconds", l.Why)
}

func (l *Loose) Unwrap() error { return l.Why }

// Keys makes the key for a seed, by the name that a data description gives; programs behind names are the machine owner's to set.
type Keys func(ctx context.Context, name string, seed []byte) ([]byte, error)

// Vehicle is a connection to one vehicle. Its methods may be called by several goroutines; one request goes after the
// other, and giving back waits for none.
type Vehicle struct {
	data *describe.Vehicle
	ch   Channel
	id   doip.Identity
	keys Keys

	turn      chan struct{} // one request, or one series of them, at a time
	woken     chan struct{} // something is commanded: its end has to be watched
	returning atomic.Int32  // somebody gives back: whoever has the turn, or waits for it, gives way

	mu        sync.Mutex // what follows
	giveWay   context.CancelFunc
	extended  bool
	attempted []string // outputs that were tried to be commanded, in their order
	owed      []string // those that nobody confirmed to have been given back
	until     time.Time
	last      string // the last command, in words
	lastAt    time.Time
	pending   time.Duration // P2* of the session
	loose     error         // control may not have been given back
	err       error         // once the link is lost
	unlocked  map[byte]bool
	outputs   map[string]OutputState

	living context.Context
	stop   context.CancelFunc
	done   chan struct{}
}

// ConnectIP reaches a vehicle over IP and is accepted as its tester. The link lives until Close, or until the context ends. Keys may be
// nil: then what asks for a key is refused.
func ConnectIP(ctx context.Context, address string, data *describe.Vehicle, keys Keys) (*Vehicle, error) {
	if data == nil {
		data = &describe.Vehicle{}
	}
	id, said := Identify(ctx, address)
	ch, err := dialIP(ctx, address, data.Address)
	if err != nil {
		return nil, err
	}
	v := Over(ctx, ch, data, keys)
	if v.id = id; !said { // a vehicle that says nothing by datagram can still be asked for its number
		v.id = doip.Identity{Address: ch.to}
		v.id.VIN = v.number(ctx)
	}
	return v, nil
}

// Over makes a vehicle of a channel to its control unit. Keys may be nil: then what asks for a key is refused.
func Over(ctx context.Context, ch Channel, data *describe.Vehicle, keys Keys) *Vehicle {
	living, stop := context.WithCancel(ctx)
	v := &Vehicle{data: data, ch: ch, keys: keys, turn: make(chan struct{}, 1), woken: make(chan struct{}, 1), pending: usualPending,
		unlocked: map[byte]bool{}, outputs: map[string]OutputState{}, living: living, stop: stop, done: make(chan struct{})}
	go v.keep(living)
	return v
}

// Refused is a vehicle that answers, and takes no tester now; the text says why.
type Refused struct{ Why string }

func (r *Refused) Error() string { return r.Why }

// Identity is what the vehicle says of itself.
func (v *Vehicle) Identity() doip.Identity { return v.id }

// keep holds the session while something is commanded, and gives it back when its time is over.
func (v *Vehicle) keep(ctx context.Context) {
	defer close(v.done)
	tick := time.NewTicker(presentEvery)
	defer tick.Stop()
	for {
		var over <-chan time.Time
		v.mu.Lock()
		extended, attempted, until := v.extended, len(v.attempted) > 0, v.until
		v.mu.Unlock()
		var timer *time.Timer
		if attempted {
			timer = time.NewTimer(time.Until(until))
			over = timer.C
		}
		select {
		case <-ctx.Done():
			v.mu.Lock()
			again := len(v.attempted) > 0 || v.extended // what nobody confirmed has been tried already
			v.mu.Unlock()
			if again {
				_ = v.Return() // what it did not come to is kept for whoever asks
			}
			v.lose()
			v.ch.Close()
			return
		case <-over:
			_ = v.Return() // whoever looks sees that it may be running
		case <-v.woken:
		case <-tick.C:
			if extended && v.ch.Send(uds.Present()) != nil {
				v.lose()
			}
		}
		if timer != nil {
			timer.Stop()
		}
	}
}

// lose notes that the link has ended.
func (v *Vehicle) lose() {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.err == nil {
		if v.err = ErrLost; len(v.attempted) > 0 {
			v.loose = &Loose{ErrLost}
		}
	}
}

// Close gives back whatever is commanded and ends the link. The error is a [Loose] where nobody confirmed it.
func (v *Vehicle) Close() {
	v.stop()
	<-v.done
}

// take waits for the turn; the context that it gives ends when somebody has to give back.
func (v *Vehicle) take(ctx context.Context) (context.Context, func(), error) {
	select {
	case v.turn <- struct{}{}:
	case <-ctx.Done():
		return nil, nil, errGaveWay
	}
	ctx, cancel := context.WithCancel(ctx)
	v.mu.Lock()
	v.giveWay = cancel
	v.mu.Unlock()
	if v.returning.Load() > 0 {
		cancel()
	}
	return ctx, func() {
		v.mu.Lock()
		v.giveWay = nil
		v.mu.Unlock()
		cancel()
		<-v.turn
	}, nil
}

// ask puts a request and waits for its answer, which is of the same service and about the same thing; whatever else comes is dropped.
// The turn is taken.
func (v *Vehicle) ask(ctx context.Context, request []byte) ([]byte, error) {
	v.mu.Lock()
	lost, pending := v.err, v.pending
	v.mu.Unlock()
	if lost != nil {
		return nil, lost
	}
	for dropped := true; dropped; { // what came late for another request
		select {
		case _, open := <-v.ch.Answers():
			if !open {
				v.lose()
				return nil, ErrLost
			}
		default:
			dropped = false
		}
	}
	bound := time.NewTimer(answerAtMost)
	defer bound.Stop()
	for busy := 0; ; busy++ {
		if err := v.ch.Send(request); err != nil {
			v.lose()
			return nil, ErrLost
		}
		b, err := v.hear(ctx, request, pending, bound.C)
		var refused *uds.Refused
		if err == nil || !errors.As(err, &refused) || refused.Reason != uds.Busy || busy == mostBusy {
			return b, err
		}
		again := time.NewTimer(busyAgain)
		select {
		case <-again.C:
		case <-ctx.Done():
			again.Stop()
			return nil, errGaveWay
		}
	}
}

// hear waits for the answer to a request.
func (v *Vehicle) hear(ctx context.Context, request []byte, pending time.Duration, bound <-chan time.Time) ([]byte, error) {
	within := time.NewTimer(answerWithin)
	defer within.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil, errGaveWay
		case <-bound:
			return nil, fmt.Errorf("the control unit says again and again that it is still at work: %w", errNoAnswer)
		case <-within.C:
			return nil, errNoAnswer
		case a, open := <-v.ch.Answers():
			switch {
			case !open:
				v.lose()
				return nil, ErrLost
			case a.Err != nil:
				return nil, a.Err
			case uds.StillPending(a.Data) && a.Data[1] == request[0]:
				within.Reset(pending)
			case uds.Refuses(request, a.Data):
				return nil, &uds.Refused{Service: uds.Service(request[0]), Reason: uds.Reason(a.Data[2])}
			case uds.Answers(request, a.Data):
				return a.Data, nil
			}
		}
	}
}

// service asks, and gives what follows the first byte of the answer.
func (v *Vehicle) service(ctx context.Context, s uds.Service, request []byte) ([]byte, error) {
	b, err := v.ask(ctx, request)
	if err != nil {
		return nil, err
	}
	return uds.Answer(s, b)
}

// Reading is what values were at one time. Stale are those that nobody answered this time.
type Reading struct {
	Values map[string]float64
	Stale  []string
}

// Read reads values by their names in the data description; those that the vehicle does not have are left out, and one that is not
// answered is stale: the link goes on.
func (v *Vehicle) Read(ctx context.Context, names ...string) (Reading, error) {
	r := Reading{Values: map[string]float64{}}
	silent := 0
	for _, name := range names {
		value, ok := v.data.Values[name]
		if !ok {
			return r, fmt.Errorf("the data description has no value %q", name)
		}
		if silent >= silentRounds {
			r.Stale = append(r.Stale, name)
			continue
		}
		with, end, err := v.take(ctx)
		if err != nil {
			return r, err
		}
		b, err := v.ask(with, v.data.Asks(value))
		end()
		var refused *uds.Refused
		switch {
		case errors.As(err, &refused):
			continue // it does not have it, or not now
		case errors.Is(err, errNoAnswer):
			silent++
			r.Stale = append(r.Stale, name)
			continue
		case err != nil:
			return r, err
		}
		silent = 0
		if figure, err := value.Decode(b[min(len(b), v.data.Head(value)):]); err == nil {
			r.Values[name] = figure
		} else {
			r.Stale = append(r.Stale, name)
		}
	}
	return r, nil
}

// Codes reads the stored fault codes.
func (v *Vehicle) Codes() ([]uds.Code, error) {
	ctx, end, err := v.take(v.living)
	if err != nil {
		return nil, err
	}
	defer end()
	if v.data.Emissions {
		return v.emissionsCodes(ctx)
	}
	b, err := v.ask(ctx, uds.Codes(0xFF))
	if err != nil {
		return nil, err
	}
	return uds.CodesOf(b)
}

// ClearCodes has them forgotten. Whoever calls has kept them before.
func (v *Vehicle) ClearCodes() error {
	ctx, end, err := v.take(v.living)
	if err != nil {
		return err
	}
	defer end()
	if v.data.Emissions {
		_, err = v.ask(ctx, []byte{byte(uds.ClearEmissions)})
		return err
	}
	_, err = v.service(ctx, uds.ClearCodes, uds.Clear())
	return err
}

// Command brings the vehicle's outputs to just these commands, each with its duty in percent (an output that is only on or off takes
// any above zero for on), in the order of the data description, and holds them until the next command, Return, Close, or
// CommandLasts. Where one is not obeyed everything that was tried is given back, and the error says so, or is a [Loose].
func (v *Vehicle) Command(name string, commands map[string]float64) error {
	return v.CommandFor(name, commands, CommandLasts)
}

// CommandFor is Command with a time to hold, at most CommandLastsMost. Outputs that leave names stay as they are.
func (v *Vehicle) CommandFor(name string, commands map[string]float64, hold time.Duration, leave ...string) error {
	if len(v.data.Outputs) == 0 {
		return errors.New("nothing can be commanded without a data description that names the vehicle's outputs")
	}
	if hold <= 0 || hold > CommandLastsMost {
		return fmt.Errorf("a command holds for up to %.0f s, not %.0f", CommandLastsMost.Seconds(), hold.Seconds())
	}
	for command := range commands {
		if _, ok := v.data.Outputs[command]; !ok {
			return fmt.Errorf("the data description has no output %q", command)
		}
	}
	ctx, end, err := v.take(v.living)
	if err != nil {
		return err
	}
	err = v.command(ctx, name, commands, hold, leave)
	end()
	if err == nil {
		return nil
	}
	v.mu.Lock()
	tried := len(v.attempted) > 0
	v.mu.Unlock()
	back := v.Return()
	var loose *Loose
	switch {
	case errors.As(back, &loose):
		return fmt.Errorf("%s: %w; %w", name, err, back)
	case !tried:
		return fmt.Errorf("%s: %w; nothing was commanded", name, err)
	}
	return fmt.Errorf("%s: %w; control was given back", name, err)
}

// command is Command with the turn taken.
func (v *Vehicle) command(ctx context.Context, name string, commands map[string]float64, hold time.Duration, leave []string) error {
	if err := v.startSession(ctx); err != nil {
		return fmt.Errorf("the vehicle starts no session for tests: %w", err)
	}
	for _, command := range v.data.InOrder() {
		if slices.Contains(leave, command) {
			continue
		}
		out := v.data.Outputs[command]
		if err := v.unlock(ctx, out); err != nil {
			return err
		}
		v.mu.Lock() // tried from here on, whatever comes of it
		if !slices.Contains(v.attempted, command) {
			v.attempted = append(v.attempted, command)
		}
		v.until = time.Now().Add(hold + answerAtMost) // it holds from when all are obeyed
		v.mu.Unlock()
		b, err := v.ask(ctx, out.Request(commands[command]))
		v.note(command, commands[command], b, err)
		if err != nil {
			return fmt.Errorf("%s is not commanded: %w", command, err)
		}
	}
	v.mu.Lock()
	v.last, v.lastAt, v.until, v.loose = name, time.Now(), time.Now().Add(hold), nil
	v.mu.Unlock()
	select {
	case v.woken <- struct{}{}:
	default:
	}
	return nil
}

// OutputState is what one output was told last, and what its control unit said to it.
type OutputState struct {
	Name  string
	Duty  float64 // percent; on or off where the output knows no duty
	Says  string  // obeyed, with the state that it gives back; refused, with why; given back; nobody answers
	At    time.Time
	Given bool // back
}

// note keeps what came of commanding an output.
func (v *Vehicle) note(command string, duty float64, answer []byte, err error) {
	says := "obeyed"
	switch {
	case err != nil:
		says = err.Error()
	case len(answer) > answeredHead:
		says = "obeyed, and says " + spaced(answer[answeredHead:])
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	v.outputs[command] = OutputState{Name: command, Duty: duty, Says: says, At: time.Now()}
}

// answeredHead is how many bytes an answer to a command has before the state: service, two of the identifier, the kind of control.
const answeredHead = 4

// Outputs are the outputs in their order, each as it was told last; one that was never told anything has no time.
func (v *Vehicle) Outputs() []OutputState {
	v.mu.Lock()
	defer v.mu.Unlock()
	var list []OutputState
	for _, name := range v.data.InOrder() {
		x := v.outputs[name]
		x.Name = name
		list = append(list, x)
	}
	return list
}

// startSession starts the session in which outputs can be commanded, and takes its times over.
func (v *Vehicle) startSession(ctx context.Context) error {
	v.mu.Lock()
	extended := v.extended
	v.extended = true // tried from here on
	v.mu.Unlock()
	if extended {
		return nil
	}
	b, err := v.service(ctx, uds.SessionControl, uds.Session(uds.ExtendedSession))
	if err != nil {
		return err
	}
	if pending, ok := uds.PendingOf(b); ok {
		v.mu.Lock()
		v.pending = pending
		v.mu.Unlock()
	}
	return nil
}

// unlock gives the key that an output asks for.
func (v *Vehicle) unlock(ctx context.Context, out describe.Output) error {
	if out.Security == nil {
		return nil
	}
	level := out.Security.Level
	v.mu.Lock()
	unlocked := v.unlocked[level]
	v.mu.Unlock()
	if unlocked {
		return nil
	}
	b, err := v.service(ctx, uds.SecurityAccess, []byte{byte(uds.SecurityAccess), level})
	if err != nil {
		return fmt.Errorf("it asks for a key: %w", err)
	}
	if len(b) < 2 {
		return errors.New("it asks for a key, and gives no seed for it")
	}
	if seed := b[1:]; slices.ContainsFunc(seed, func(x byte) bool { return x != 0 }) { // all noughts: it is open already
		if v.keys == nil {
			return fmt.Errorf("it asks for the key %q, and nobody has set a program for it on this machine", out.Security.Key)
		}
		key, err := v.keys(ctx, out.Security.Key, seed)
		if err != nil {
			return fmt.Errorf("the key %q: %w", out.Security.Key, err)
		}
		if _, err := v.service(ctx, uds.SecurityAccess, append([]byte{byte(uds.SecurityAccess), level + 1}, key...)); err != nil {
			return fmt.Errorf("it does not take the key %q: %w", out.Security.Key, err)
		}
	}
	v.mu.Lock()
	v.unlocked[level] = true
	v.mu.Unlock()
	return nil
}

// Return gives all outputs back that were tried, and ends the session; a request that is on its way gives way to it. The error is a
// [Loose] where nobody confirms it.
func (v *Vehicle) Return() error {
	v.returning.Add(1)
	defer v.returning.Add(-1)
	v.mu.Lock()
	if v.giveWay != nil {
		v.giveWay()
	}
	v.mu.Unlock()
	v.turn <- struct{}{} // whoever has it gives way at once
	defer func() { <-v.turn }()
	return v.giveBack()
}

// giveBack gives each output back, in the reverse order, and then asks for the default session, by which the standard ends all control;
// either will do. The turn is taken.
func (v *Vehicle) giveBack() error {
	v.mu.Lock()
	attempted := slices.Clone(v.owed)
	for _, command := range v.attempted {
		if !slices.Contains(attempted, command) {
			attempted = append(attempted, command)
		}
	}
	extended := v.extended || len(v.owed) > 0
	v.mu.Unlock()
	slices.Reverse(attempted)
	ctx, cancel := context.WithTimeout(context.Background(), answerAtMost) // whoever leaves still gives back
	defer cancel()
	var unconfirmed error
	for _, command := range attempted {
		var err error
		for range giveBackTimes {
			if _, err = v.ask(ctx, v.data.Outputs[command].GiveBack()); err == nil || !errors.Is(err, errNoAnswer) {
				break
			}
		}
		says := "given back"
		if err != nil {
			unconfirmed = fmt.Errorf("%s: %w", command, err)
			says = "not confirmed: " + err.Error()
		}
		v.mu.Lock()
		v.outputs[command] = OutputState{Name: command, Says: says, At: time.Now(), Given: true}
		v.mu.Unlock()
	}
	if extended {
		if _, err := v.service(ctx, uds.SessionControl, uds.Session(uds.DefaultSession)); err == nil {
			unconfirmed = nil
			v.mu.Lock()
			for _, command := range attempted {
				v.outputs[command] = OutputState{Name: command, Says: "given back", At: time.Now(), Given: true}
			}
			v.mu.Unlock()
		}
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	v.attempted, v.owed, v.extended, v.pending, v.unlocked = nil, nil, false, usualPending, map[byte]bool{}
	if unconfirmed != nil {
		v.owed, v.loose = attempted, &Loose{unconfirmed}
		slices.Reverse(v.owed)
		return v.loose
	}
	if v.loose = nil; len(attempted) > 0 {
		return nil
	}
	return v.err
}

// Names lists the values that the vehicle is known to have, the published ones first.
func (v *Vehicle) Names() []string { return v.data.Names() }

// Means is the word that the data description has for a value's figure; empty for none.
func (v *Vehicle) Means(name string, figure float64) string {
	return v.data.Values[name].Words[int(figure)]
}

// Held is the last command that still holds, when it was given, and when it is given back by itself; empty where none does.
func (v *Vehicle) Held() (name string, at, until time.Time) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if len(v.attempted) == 0 {
		return "", at, until
	}
	return v.last, v.lastAt, v.until
}

// Lost is why the link has ended; nil while it lives.
func (v *Vehicle) Lost() error {
	v.mu.Lock()
	defer v.mu.Unlock()
	return v.err
}

// MayRun is control that may not have been given back; nil where it was, or where nothing was commanded.
func (v *Vehicle) MayRun() error {
	v.mu.Lock()
	defer v.mu.Unlock()
	return v.loose
}
