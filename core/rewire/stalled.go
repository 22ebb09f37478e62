package rewire

import (
	"fmt"
	"math"
	"slices"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/size"
)

// A fan that stands still takes five or six times its amps, and what carries them has to last until a fuse opens. So every fan is held
// fast in every state, with fuses that open for nothing: that gives the amps; the slow edge of the fuse's standard gives the time; and
// the table of a contact's overload says whether it stands so many amps for so long. Fuses that lie one behind the other are held
// against each other in the same way: of a short behind both, only the nearer one may open.

// held is what flows with one fan held fast.
type held struct {
	fan, state string
	point      *electric.Point
}

// holdFast solves every state with each fan held fast in turn, the fuses opening for nothing.
func (d *design) holdFast() ([]held, error) {
	c := *d.c
	c.Parts = slices.Clone(d.c.Parts)
	for i, p := range c.Parts {
		if spec, ok := p.Spec.(*harness.Fuse); ok {
			part, whole := *p, *spec
			if whole.Ohms == 0 {
				whole.Ohms = fuseVolts / spec.Amps
			}
			whole.Amps, part.Spec = placeHolder*placeHolder, &whole
			c.Parts[i] = &part
		}
	}
	m, err := electric.New(&c)
	if err != nil {
		return nil, fmt.Errorf("rewire: %s: %w", d.f, err)
	}
	var list []held
	for i, fan := range d.w.Fans {
		if fan.Brushless != nil {
			continue // its own electronics look after it
		}
		fast := fault.Fault{On: fault.OnPart, Part: d.motor(i), Words: fault.Seized}
		n, err := m.Network(nil, []fault.Fault{fast})
		if err != nil {
			return nil, fmt.Errorf("rewire: %s: %w", d.f, err)
		}
		for _, s := range d.conditions() {
			n.Rest()
			n.Enter(s)
			list = append(list, held{d.motor(i), s.Name, n.Point(s)})
		}
	}
	return list, nil
}

// contact is one way through a relay, with the most that flows in it while a fan is held fast and how long that can last.
type contact struct {
	relay, pin string
	rating     float64
	amps       float64
	fuse       string // that ends it first; empty: none does
	seconds    float64
	at         held
}

// stands is for how long a contact of its rating carries those amps.
func (x *contact) stands() float64 { return size.ContactLasts(x.amps / x.rating) }

func (x *contact) lasts() bool { return x.seconds <= x.stands() }

// overloaded are the contacts at the worst that a fan held fast puts through them.
func (d *design) overloaded(points []held) (list []*contact) {
	for _, p := range d.c.OfKind(harness.KindRelay) {
		if d.isForeign(p.Name) {
			continue
		}
		spec := p.Spec.(*harness.Relay)
		for _, pole := range spec.Poles() {
			for _, name := range []string{"87", "87a"} {
				if name == "87" && !spec.HasMake() || name == "87a" && !spec.HasRest() {
					continue
				}
				worst := d.worstThrough(p, name+pole, points)
				if worst == nil {
					continue
				}
				worst.rating = makeOf(spec)
				if name == "87a" {
					worst.rating = d.w.Limits.RestContact
				}
				list = append(list, worst)
			}
		}
	}
	return list
}

// worstThrough is the point at which a contact is nearest to its end; nil where nothing flows in it.
func (d *design) worstThrough(relay *harness.Part, name string, points []held) *contact {
	pin := harness.Pin{Part: relay.Name, Name: name}
	var worst *contact
	for _, at := range points {
		amps := 0.0
		for i, w := range d.c.Wires {
			if w.From == pin || w.To == pin {
				amps = max(amps, math.Abs(at.point.Wires[i].Amps))
			}
		}
		if amps < leastRunsOn {
			continue
		}
		x := &contact{relay: relay.Name, pin: name, amps: amps, seconds: math.Inf(1), at: at}
		for _, f := range d.fusesOf(relay) {
			spec := f.Spec.(*harness.Fuse)
			if _, latest := electric.OpensBetween(spec.Style, at.point.Fuses[f.Name].Amps/spec.Amps); latest < x.seconds {
				x.fuse, x.seconds = f.Name, latest
			}
		}
		if worst == nil || x.amps > worst.amps {
			worst = x
		}
	}
	return worst
}

// fusesOf are the fuses that lie in the way to a relay's contact a fan between or not, or right behind it.
func (d *design) fusesOf(relay *harness.Part) []*harness.Part {
	var list []*harness.Part
	for _, f := range d.c.OfKind(harness.KindFuse) {
		found := false
		d.behindFuse(f, passes, func(w *harness.Wire) {
			for _, pin := range []harness.Pin{w.From, w.To} {
				found = found || pin.Part == relay.Name && pin.Name != "85" && pin.Name != "86"
			}
		})
		for _, w := range d.c.Wires {
			a, b := w.From, w.To
			found = found || a.Part == relay.Name && b.Part == f.Name || b.Part == relay.Name && a.Part == f.Name
		}
		if found {
			list = append(list, f)
		}
	}
	return list
}

// stand gives each contact that comes in the rating with which it lasts until a fuse ends what a fan that stands still puts through it.
func (d *design) stand() error {
	points, err := d.holdFast() // with the contacts as they are chosen so far
	if err != nil {
		return err
	}
	for _, x := range d.overloaded(points) {
		spec := d.c.Part(x.relay).Spec.(*harness.Relay)
		if x.lasts() || x.pin[:2] != "87" || x.rating != makeOf(spec) || d.on != nil && d.on.taken[x.relay] {
			continue // what is there is its maker's choice, and is spoken of
		}
		larger := slices.IndexFunc(size.Relays, func(rating float64) bool {
			return rating > x.rating && x.seconds <= size.ContactLasts(x.amps/rating)
		})
		if d.w.Relays.Make > 0 && d.throughContact(x.relay) > size.Contact(x.rating, d.w.Heat, d.w.nominal()) {
			continue // too small even for fans that turn, which is the plainer thing to say
		}
		if larger < 0 || d.w.Relays.Make > 0 {
			return &limit{why: x.words() + ", and it does not last so long", frees: "a relay of more amps, or a feed and a relay for each fan"}
		}
		spec.Make = size.Relays[larger]
	}
	return nil
}

// words say what a contact has to stand.
func (x *contact) words() string {
	until := "and no fuse ends it"
	if x.fuse != "" {
		until = fmt.Sprintf("for up to %s until %s opens", seconds(x.seconds), x.fuse)
	}
	return fmt.Sprintf("with %s standing still in %s, %s carries %.0f A on a contact of %g A %s", x.at.fan, x.at.state, x.relay, x.amps,
		x.rating, until)
}

// seconds are a time in the unit that one would say it in.
func seconds(s float64) string {
	switch {
	case s < 10:
		return fmt.Sprintf("%.1f s", s)
	case s < 120:
		return fmt.Sprintf("%.0f s", s)
	case s < 7200:
		return fmt.Sprintf("%.0f min", s/60)
	}
	return fmt.Sprintf("%.0f h", s/3600)
}

// longest is what stands for "for ever" where a figure is wanted, seconds.
const longest = 1e6

// stalls writes down what each contact has to stand, and what each fuse does about a fan that stands still.
func (d *design) stalls(p *Proposal, add func(string, string, float64, float64, string)) {
	for _, x := range d.overloaded(d.held) {
		if !x.lasts() {
			for i := range p.Sizes {
				if p.Sizes[i].What == x.relay {
					p.Sizes[i].Because = append(p.Sizes[i].Because, x.words()+": it may weld; it is there already, and so its maker's choice")
				}
			}
			add("s of overload, as the vehicle has it", x.relay+"."+x.pin, min(x.seconds, longest), min(x.seconds, longest),
				"as the vehicle has it")
			continue
		}
		add("s that a contact carries a fan that stands still", x.relay+"."+x.pin, min(x.seconds, longest), min(x.stands(), longest),
			"ISO 7588, overload, from memory")
	}
	d.selective(p, add)
}

// ends says what a fuse does about a fan that stands still behind it: the most that it then carries, and when it opens.
func (d *design) ends(fuse string, points []held) (words string, ok bool) {
	spec := d.c.Part(fuse).Spec.(*harness.Fuse)
	var worst held
	most := 0.0
	for _, at := range points {
		if amps := at.point.Fuses[fuse].Amps; amps > most {
			worst, most = at, amps
		}
	}
	if most < leastRunsOn {
		return "", false
	}
	soonest, latest := electric.OpensBetween(spec.Style, most/spec.Amps)
	words = fmt.Sprintf("with %s standing still in %s %.0f A, ", worst.fan, worst.state, most)
	if math.IsInf(latest, 1) {
		return words + "which it carries for ever: nothing opens", true
	}
	return words + fmt.Sprintf("which open it in %s to %s", seconds(soonest), seconds(latest)), true
}

// Times of a fuse's rating at which two fuses one behind the other are compared: the rows of their standard.
var overloads = []float64{1.35, 2, 3.5, 6}

// selective compares each fuse with those that lie behind it with nothing but wires and contacts between: at every row of the standard
// the one in front holds for longer than the one behind needs at the most.
func (d *design) selective(p *Proposal, add func(string, string, float64, float64, string)) {
	for _, front := range d.c.OfKind(harness.KindFuse) {
		if d.isForeign(front.Name) {
			continue
		}
		first := front.Spec.(*harness.Fuse)
		met := map[string]bool{front.Name: true}
		d.behindFuse(front, conducts, func(w *harness.Wire) {
			for _, pin := range []harness.Pin{w.From, w.To} {
				next, ok := d.c.Part(pin.Part).Spec.(*harness.Fuse)
				if !ok || met[pin.Part] || pin == d.fedFrom(d.c.Part(pin.Part)) {
					continue
				}
				met[pin.Part] = true
				worst, needs, holds := math.Inf(1), 0.0, 0.0
				for _, fold := range overloads {
					amps := fold * next.Amps
					soonest, _ := electric.OpensBetween(first.Style, amps/first.Amps)
					_, latest := electric.OpensBetween(next.Style, fold)
					if share := soonest / latest; share < worst {
						worst, needs, holds = share, latest, soonest
					}
				}
				if what := pin.Part + " behind " + front.Name; worst >= 1 {
					add("s that the fuse behind needs, the one in front holding", what, needs, min(holds, longest),
						"the rows of the fuses' standards, from memory")
				} else {
					p.Warnings = append(p.Warnings, fmt.Sprintf("%s of %g A lies behind %s of %g A: of a short behind both either may open",
						pin.Part, next.Amps, front.Name, first.Amps))
				}
			}
		})
	}
}
