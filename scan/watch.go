package scan

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"time"

	"ironthread/scan/can"
	"ironthread/scan/describe"
	"ironthread/scan/doip"
	"ironthread/scan/uds"
)

// Watch is a vehicle that is being watched for a job: its values read again and again, and kept for a while, so that two
// people on the same job see the same, and a command's effect can be looked at afterwards.
type Watch struct {
	Vehicle *Vehicle  // nil where it is a truck, to which nothing is sent
	Truck   *Listener // nil where it is none
	Data    *describe.Vehicle
	Address string

	mu      sync.Mutex
	by      string // who commanded last
	claimed bool   // and is just doing so
	began   time.Time
	points  []Point
	codes   []uds.Code
	asked   bool                 // codes have been read
	beside  map[uint32]*Snapshot // what was kept beside each, where it was
	looked  time.Time
	stop    context.CancelFunc
	done    chan struct{}
}

// Point is all values at one time, seconds since the link began.
type Point struct {
	Seconds float64
	Values  map[string]float64
	Command string   // that held then
	Stale   []string // values that nobody answered this time
}

// Limits of watching.
const (
	readEvery   = 400 * time.Millisecond
	keptPoints  = 6000 // forty minutes: a warm-up; some 4 MB
	nobodyLooks = 90 * time.Second
	signWithin  = 10 * time.Second // a page says again and again that somebody looks; without that what is commanded is given back
	mostWatched = 32
)

// Watches keeps the links of all jobs of this process: a link to a vehicle is a wire, and lives where it was laid.
type Watches struct {
	// Loopback says that this machine itself may be asked: where its own simulated vehicle is, in the demo and in tests.
	Loopback bool

	mu     sync.Mutex
	of     map[int64]*Watch
	ended  map[int64]error // of links that have ended: control that may not have been given back, or nil
	meters map[int64]*Meter

	// Keys makes keys for outputs that ask for them; nil: none can be made.
	Keys Keys
}

// NewWatches keeps none yet.
func NewWatches() *Watches {
	return &Watches{of: map[int64]*Watch{}, ended: map[int64]error{}, meters: map[int64]*Meter{}}
}

// Of is a job's link; nil for none.
func (w *Watches) Of(job int64) *Watch {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.of[job]
}

// Begin connects a job's vehicle. What is asked for must be an address of a network of one's own.
func (w *Watches) Begin(ctx context.Context, job int64, address string, data *describe.Vehicle) (*Watch, error) {
	if err := w.permitted(address); err != nil {
		return nil, err
	}
	return w.BeginHere(ctx, job, address, data)
}

// BeginHere is Begin for an address that the application itself listens on, with a simulated vehicle.
func (w *Watches) BeginHere(ctx context.Context, job int64, address string, data *describe.Vehicle) (*Watch, error) {
	w.mu.Lock()
	if w.of[job] != nil {
		w.mu.Unlock()
		return nil, fmt.Errorf("this job's vehicle is connected already")
	}
	if len(w.of) >= mostWatched {
		w.mu.Unlock()
		return nil, fmt.Errorf("%d vehicles are connected; leave one first", mostWatched)
	}
	w.of[job] = &Watch{} // the place is taken while it is connected
	delete(w.ended, job)
	w.mu.Unlock()
	living, stop := context.WithCancel(context.WithoutCancel(ctx)) // the link outlives the request that asked for it
	x := &Watch{Address: address, stop: stop, done: make(chan struct{})}
	err := w.reach(living, x, address, data)
	if err != nil {
		stop()
		w.mu.Lock()
		delete(w.of, job)
		w.mu.Unlock()
		var turnedDown *Refused // it speaks as a vehicle does, and says why not
		if errors.As(err, &turnedDown) {
			return nil, turnedDown
		}
		return nil, nothing(address)
	}
	x.began = time.Now()
	x.looked = x.began
	w.mu.Lock()
	w.of[job] = x
	w.mu.Unlock()
	go func() {
		defer close(x.done)
		var loose error
		if x.Truck != nil {
			x.listen(living)
			stop()
		} else {
			x.run(living)
			loose = x.Vehicle.MayRun()
		}
		w.mu.Lock()
		w.ended[job] = loose
		if w.of[job] == x {
			delete(w.of, job)
		}
		w.mu.Unlock()
	}()
	return x, nil
}

// Ended is control that may not have been given back when a job's last link ended; nil where it was.
func (w *Watches) Ended(job int64) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.ended[job]
}

// reach connects by what an address says: diagnostics over IP where it says nothing, else a CAN bus. A bus that speaks as trucks do is
// listened to.
func (w *Watches) reach(ctx context.Context, x *Watch, address string, data *describe.Vehicle) (err error) {
	if !onCAN(address) {
		x.Vehicle, err = ConnectIP(ctx, strings.TrimPrefix(address, "doip://"), data, w.Keys)
	} else {
		var bus can.Bus
		if bus, err = OpenBus(ctx, address); err != nil {
			return err
		}
		if l, speaks := SpeaksJ1939(ctx, bus); speaks {
			x.Truck = l
			return nil
		}
		x.Vehicle, err = ConnectCAN(ctx, bus, data, w.Keys)
	}
	if err == nil {
		x.Data = x.Vehicle.data
	}
	return err
}

// Holder is who commands the vehicle of an address from another job's page; nobody where held is empty.
func (w *Watches) Holder(job int64, address string) (other int64, by, held string, until time.Time) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.holder(job, address)
}

// holder is Holder with the lock held. Whoever is just about to command holds the vehicle already.
func (w *Watches) holder(job int64, address string) (other int64, by, held string, until time.Time) {
	for id, x := range w.of {
		if id == job || x.Vehicle == nil || x.Address != address {
			continue
		}
		if name, _, until := x.Vehicle.Held(); name != "" {
			return id, x.By(), name, until
		}
		if by, about := x.about(); about {
			return id, by, "a command", time.Now()
		}
	}
	return 0, "", "", time.Time{}
}

// Claim takes the commands of a job's vehicle for somebody, unless another job has them: two pages that ask at the same moment do not
// both get them. Done is called once the command has been given.
func (w *Watches) Claim(job int64, x *Watch, who string) (done func(), claimed bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if other, _, _, _ := w.holder(job, x.Address); other != 0 {
		return nil, false
	}
	x.commands(who, true)
	return func() { x.commands(who, false) }, true
}

// about tells whether somebody is just about to command.
func (x *Watch) about() (by string, is bool) {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.by, x.claimed
}

// By is who commanded last.
func (x *Watch) By() string {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.by
}

// commands notes who commands, and whether that is just being done.
func (x *Watch) commands(who string, claimed bool) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.by, x.claimed = who, claimed
}

// listen hears a truck until nobody has looked for a while.
func (x *Watch) listen(ctx context.Context) {
	tick := time.NewTicker(readEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-x.Truck.Done():
			return
		case now := <-tick.C:
			t := x.Truck.Truck()
			if x.add(Point{Seconds: now.Sub(x.began).Seconds(), Values: t.Values}, now) > nobodyLooks {
				return
			}
		}
	}
}

// add keeps a point, and gives how long nobody has looked.
func (x *Watch) add(p Point, now time.Time) time.Duration {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.points = append(x.points, p)
	if len(x.points) > keptPoints {
		x.points = x.points[len(x.points)-keptPoints:]
	}
	return now.Sub(x.looked)
}

// onCAN tells whether an address is that of a CAN bus.
func onCAN(address string) bool {
	return strings.HasPrefix(address, "can:") || strings.HasPrefix(address, "socketcand://")
}

// Find asks a network of one's own who is there, by broadcast such as 192.168.0.255:13400, or one address.
func (w *Watches) Find(ctx context.Context, network string) (map[string]doip.Identity, error) {
	if err := w.permitted(network); err != nil {
		return nil, err
	}
	if onCAN(network) || strings.HasPrefix(network, "can:") {
		return nil, errors.New("who is there is asked on a network of addresses; on a CAN bus connecting asks")
	}
	return Discover(ctx, strings.TrimPrefix(network, "doip://"))
}

// Done is closed when the link has ended.
func (w *Watch) Done() <-chan struct{} { return w.done }

// Leave gives back what is commanded and ends a job's link.
func (w *Watches) Leave(job int64) {
	x := w.Of(job)
	if x == nil || x.stop == nil {
		return
	}
	x.stop()
	<-x.done
}

// Close leaves all.
func (w *Watches) Close() {
	w.mu.Lock()
	var vehicles, meters []int64
	for job := range w.of {
		vehicles = append(vehicles, job)
	}
	for job := range w.meters {
		meters = append(meters, job)
	}
	w.mu.Unlock()
	for _, job := range vehicles {
		w.Leave(job)
	}
	for _, job := range meters {
		w.LeaveMeter(job)
	}
}

// nothing is what is said of every address at which nothing can be used, whyever that is: whoever tries addresses learns
// nothing of what else listens on a network.
func nothing(address string) error {
	return fmt.Errorf("nothing that can be used answers at %s; check the address, that it is switched on, and that it is on this "+
		"network", clipped(address))
}

// permitted tells why an address is not tried: it must be of a network of one's own, by figures; private and link-local ones
// are, as a vehicle without an address server takes one of those. This machine itself is neither a vehicle nor a meter, but
// where a simulated one is asked for.
func (w *Watches) permitted(address string) error {
	if name, ok := strings.CutPrefix(address, "can:"); ok {
		if name == "" || len(name) > 15 || strings.Trim(name, "abcdefghijklmnopqrstuvwxyz0123456789") != "" {
			return fmt.Errorf("%q is no CAN interface of this machine; write it as can:can0", clipped(address))
		}
		return nil
	}
	address = strings.TrimPrefix(address, "doip://")
	if onCAN(address) {
		u, err := url.Parse(address)
		if err != nil {
			return fmt.Errorf("%q is no address; write it as socketcand://192.168.0.10:29536/can0", clipped(address))
		}
		address = u.Host
	}
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return fmt.Errorf("%q is no address; write it as 192.168.0.10:13400", clipped(address))
	}
	ip, err := netip.ParseAddr(host)
	switch ip = ip.Unmap(); {
	case err != nil, !ip.IsLoopback() && !ip.IsPrivate() && !ip.IsLinkLocalUnicast():
		return fmt.Errorf("%q is no address of a network of one's own (192.168.…, 10.…, 169.254.…)", clipped(host))
	case !w.Loopback && (ip.IsLoopback() || ours(ip)):
		return nothing(address)
	}
	return nil
}

// ours tells whether an address is one of this machine's own.
func ours(ip netip.Addr) bool {
	list, err := net.InterfaceAddrs()
	if err != nil {
		return true // what cannot be told is not tried
	}
	for _, a := range list {
		if own, err := netip.ParsePrefix(a.String()); err == nil && own.Addr().Unmap() == ip.WithZone("") {
			return true
		}
	}
	return false
}

// run reads the values until the link ends, or nobody has looked for a while.
func (x *Watch) run(ctx context.Context) {
	defer x.Vehicle.Close()
	tick := time.NewTicker(readEvery)
	defer tick.Stop()
	names := x.Vehicle.Names()
	for {
		select {
		case <-ctx.Done():
			return
		case now := <-tick.C:
			r, err := x.Vehicle.Read(ctx, names...)
			if err != nil && x.Vehicle.Lost() != nil {
				return
			}
			held, _, _ := x.Vehicle.Held()
			unseen := x.unseen(now)
			if err == nil {
				unseen = x.add(Point{now.Sub(x.began).Seconds(), r.Values, held, r.Stale}, now)
			}
			if held != "" && unseen > signWithin {
				_ = x.Vehicle.Return() // what it did not come to is kept for whoever asks
			}
			if unseen > nobodyLooks {
				return
			}
		}
	}
}

// unseen is how long nobody has looked.
func (x *Watch) unseen(now time.Time) time.Duration {
	x.mu.Lock()
	defer x.mu.Unlock()
	return now.Sub(x.looked)
}

// Seen says that somebody looks.
func (x *Watch) Seen() {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.looked = time.Now()
}

// Points are what has been read, oldest first. Whoever asks keeps the link alive.
func (x *Watch) Points() []Point {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.looked = time.Now()
	return append([]Point(nil), x.points...)
}

// Codes are those read last; asked is false before they have been.
func (x *Watch) Codes() (codes []uds.Code, asked bool) {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.codes, x.asked
}

// ReadCodes reads and keeps them.
func (x *Watch) ReadCodes() ([]uds.Code, error) {
	codes, beside, err := x.Vehicle.CodesBeside()
	if err != nil {
		return nil, err
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	x.codes, x.asked, x.beside = codes, true, beside
	return codes, nil
}

// Beside is what was kept beside a code; nil for nothing.
func (x *Watch) Beside(code uds.Code) *Snapshot {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.beside[code.Number]
}

// BeginMeter connects a meter for a job; one that is there already is left.
func (w *Watches) BeginMeter(ctx context.Context, job int64, address string) error {
	if err := w.permitted(address); err != nil {
		return err
	}
	m, err := ConnectMeter(ctx, address)
	if err != nil {
		return nothing(address)
	}
	w.LeaveMeter(job)
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.meters) >= mostWatched {
		m.Close()
		return fmt.Errorf("%d meters are connected; leave one first", mostWatched)
	}
	w.meters[job] = m
	return nil
}

// Meter is a job's meter; nil for none.
func (w *Watches) Meter(job int64) *Meter {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.meters[job]
}

// LeaveMeter ends the link to a job's meter.
func (w *Watches) LeaveMeter(job int64) {
	w.mu.Lock()
	m := w.meters[job]
	delete(w.meters, job)
	w.mu.Unlock()
	if m != nil {
		m.Close()
	}
}
