package jobs

import (
	"context"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/job"
	"ironthread/scan"
	"ironthread/scan/describe"
	"ironthread/web/room"
)

// What goes round a link: who is there to be connected, who commands already, a command whose conditions are not met, and vehicles that
// are only listened to.

// holder is who commands the job's vehicle from another job's page, in a sentence; empty for nobody.
func (a *Jobs) holder(j *jobAt, w *scan.Watch) string {
	other, by, held, until := a.watches.Holder(j.ID, w.Address)
	if other == 0 {
		return ""
	}
	if by == "" {
		by = "somebody"
	}
	return fmt.Sprintf("%s commands this vehicle from job %d: %s, for %.0f s more", by, other, held, max(0, time.Until(until).Seconds()))
}

// unmet lists what of a command's conditions the vehicle's own values deny, asked anew; what it last said where it does not answer.
func (a *Jobs) unmet(ctx context.Context, w *scan.Watch) []string {
	var values map[string]float64
	if points := w.Points(); len(points) > 0 {
		values = points[len(points)-1].Values
	}
	var names []string
	for _, name := range []string{describe.Speed, describe.Coolant, describe.AC, describe.Supply} {
		if _, there := w.Data.Values[name]; there {
			names = append(names, name)
		}
	}
	ctx, cancel := context.WithTimeout(ctx, conditionsWithin)
	defer cancel()
	if r, err := w.Vehicle.Read(ctx, names...); err == nil && len(r.Stale) == 0 {
		values = r.Values
	}
	var list []string
	for _, r := range ready(values) {
		if !r.Met {
			list = append(list, r.Text)
		}
	}
	return list
}

// conditionsWithin is how long a vehicle has to say how it stands before a command.
const conditionsWithin = time.Second

// askAgain shows what is not met, and a button that commands all the same.
func (a *Jobs) askAgain(c *gin.Context, j *jobAt, unmet []string) {
	d := &doubt{State: c.PostForm("state"), Hold: c.PostForm("hold"), Leave: c.PostFormArray("leave"), Unmet: unmet}
	a.scanWith(c, j, http.StatusConflict, "", func(p *scanPage) { p.Doubt = d })
}

// heldLine is what is commanded at a job's vehicle while another of its pages is looked at.
type heldLine struct {
	JobID       int64
	State, Left string
}

// commanded is that; nil for nothing. Whoever asks gives the sign that somebody looks.
func (a *Jobs) commanded(id int64) *heldLine {
	w := a.watches.Of(id)
	if w == nil || w.Vehicle == nil {
		return nil
	}
	held, _, until := w.Vehicle.Held()
	if held == "" {
		return nil
	}
	w.Seen()
	return &heldLine{id, held, fmt.Sprintf("%.0f s", max(0, time.Until(until).Seconds()))}
}

// heldNow is asked for again and again by a job's pages while something is commanded: it is their sign that somebody looks.
func (a *Jobs) heldNow(c *gin.Context) {
	id, ok := jobID(c)
	if !ok {
		a.Fail(c, http.StatusNotFound, "There is no such job.")
		return
	}
	a.Part(c, http.StatusOK, "scan.html", "heldline", a.commanded(id))
}

// findWithin is how long vehicles have to say that they are there.
const findWithin = 1500 * time.Millisecond

// findVehicles asks a network who is there.
func (a *Jobs) findVehicles(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	at := strings.TrimSpace(room.Clip(c.PostForm("network"), room.MaxFind))
	ctx, cancel := context.WithTimeout(c.Request.Context(), findWithin)
	defer cancel()
	found, err := a.watches.Find(ctx, at)
	if err != nil {
		a.showScan(c, j, http.StatusUnprocessableEntity, room.Sentence(err))
		return
	}
	a.scanWith(c, j, http.StatusOK, "", func(p *scanPage) {
		p.Looked = at
		for _, address := range slices.Sorted(maps.Keys(found)) {
			p.Found = append(p.Found, foundVehicle{address, found[address].VIN})
		}
	})
}

// What a truck's values are called, and their units.
var truckValues = []struct{ name, label, unit string }{
	{"coolant", "coolant", "°C"}, {"fan", "fan drive, asked for", "%"}, {"fan rpm", "fan", "rpm"}, {"rpm", "engine", "rpm"},
	{"supply", "battery", "V"}, {"ambient", "ambient air", "°C"},
}

// liveTruck words what a truck sends.
func liveTruck(j *jobAt, w *scan.Watch) *livePart {
	t := w.Truck.Truck()
	p := &livePart{JobID: j.ID, Truck: true, Fan: t.Fan, Heard: t.Heard}
	for _, x := range truckValues {
		if v, there := t.Values[x.name]; there {
			p.Values = append(p.Values, liveValue{x.label, fmt.Sprintf("%.4g", v), x.unit, ""})
		}
	}
	for _, code := range t.Codes {
		p.Active = append(p.Active, truckCode(code))
	}
	p.Plot = plotOf(w.Points())
	return p
}

// Suspects that fan circuits have to do with, and kinds of failure (SAE J1939-73; from memory).
var (
	suspectWords = map[uint32]string{110: "engine coolant temperature", 111: "engine coolant level", 158: "battery potential, switched",
		168: "battery potential", 977: "fan drive state", 986: "requested fan speed", 1639: "fan speed", 1550: "A/C compressor clutch"}
	failureWords = map[byte]string{0: "above its range, most severe", 1: "below its range, most severe", 2: "erratic",
		3: "volts too high, or shorted to plus", 4: "volts too low, or shorted to ground", 5: "current too low, or open",
		6: "current too high, or grounded", 7: "does not answer mechanically", 8: "abnormal frequency", 9: "abnormal rate",
		10: "abnormal rate of change", 11: "cause not known", 12: "bad device", 13: "out of calibration", 15: "above its range",
		16: "above its range, moderate", 17: "below its range", 18: "below its range, moderate", 19: "received in error", 31: "is so"}
)

// truckCode words an active code.
func truckCode(code scan.TruckCode) string {
	words := fmt.Sprintf("SPN %d FMI %d", code.Suspect, code.Failure)
	if about := suspectWords[code.Suspect]; about != "" {
		words += ": " + about
	}
	if how := failureWords[code.Failure]; how != "" {
		words += ", " + how
	}
	return words + fmt.Sprintf(" (counted %d times)", code.Count)
}

// keepTruck writes what a truck sends now into the job's log.
func (a *Jobs) keepTruck(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	refuse := func(_ *jobAt, sentence string) { a.showScan(c, j, http.StatusUnprocessableEntity, sentence) }
	w := a.watches.Of(j.ID)
	if w == nil || w.Truck == nil {
		refuse(j, "No truck is listened to.")
		return
	}
	live := liveTruck(j, w)
	var words []string
	for _, v := range live.Values {
		words = append(words, v.Label+" "+v.Figure+" "+v.Unit)
	}
	if live.Fan != "" {
		words = append(words, "fan drive "+live.Fan)
	}
	if live.Heard && len(live.Active) == 0 {
		words = append(words, "no active code")
	}
	words = append(words, live.Active...)
	if len(words) == 0 {
		refuse(j, "Nothing has been heard yet.")
		return
	}
	a.change(c, j, fmt.Sprintf("/jobs/%d/scan", j.ID), refuse, func(_ *jobAt) ([]job.Entry, error) {
		text := room.Clip("sent by the vehicle: "+strings.Join(words, "; "), room.MaxText)
		return []job.Entry{{Body: job.Note{Text: text}}}, nil
	})
}
