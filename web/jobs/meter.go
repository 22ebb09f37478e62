package jobs

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/web/room"
)

// The meter on the network: connected once for a job, and then every field of a reading can be filled from it. A meter does
// not know where its leads lie; a simulated one is told.

// queries are what a meter is asked for each kind of reading.
var queries = map[probe.Do]string{probe.Volts: "MEAS:VOLT:DC?", probe.Ohms: "MEAS:RES?", probe.Amps: "MEAS:CURR:DC?"}

// connectMeter reaches a meter for a job, or leaves it.
func (a *Jobs) connectMeter(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	if peak := c.PostForm("peak"); peak != "" {
		a.peak(c, j, peak == "read")
		return
	}
	address := strings.TrimSpace(room.Clip(c.PostForm("meter"), room.MaxText))
	if c.PostForm("leave") != "" {
		a.watches.LeaveMeter(j.ID)
	} else if err := a.watches.BeginMeter(c.Request.Context(), j.ID, address); err != nil {
		a.showScan(c, j, http.StatusUnprocessableEntity, room.Sentence(err))
		return
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d/scan", j.ID))
}

// peak lets the meter's clamp hold the largest current from now on, or reads it into the log.
func (a *Jobs) peak(c *gin.Context, j *jobAt, read bool) {
	refuse := func(err error) { a.showScan(c, j, http.StatusUnprocessableEntity, room.Sentence(err)) }
	m := a.watches.Meter(j.ID)
	if m == nil {
		refuse(errors.New("no meter is connected"))
		return
	}
	at, err := j.file.Drawn.FindPin(c.PostForm("clamp"))
	if err != nil {
		refuse(err)
		return
	}
	target := fmt.Sprintf("/jobs/%d/scan?clamp=%s", j.ID, url.QueryEscape(at.String()))
	if !read {
		commands := []string{"CALC:AVER:STAT ON", "CALC:AVER:CLE"}
		if m.Simulated() {
			commands = append(commands, fmt.Sprintf("ROUT:CLAMP %q", at))
		}
		for _, command := range commands {
			if err := m.Tell(command); err != nil {
				refuse(err)
				return
			}
		}
		c.Redirect(http.StatusSeeOther, target)
		return
	}
	amps, err := m.Read("CALC:AVER:MAX?")
	switch {
	case err != nil:
		refuse(err)
		return
	case math.IsInf(amps, 0):
		refuse(errors.New("the meter holds no peak: hold first, then command"))
		return
	}
	a.change(c, j, target, nil, func(*jobAt) ([]job.Entry, error) {
		return []job.Entry{{Body: job.Note{Text: fmt.Sprintf("peak of a start, held by clamp at %s: %.1f A", at, amps)}}}, nil
	})
}

// meterField is the field of a reading with what the meter shows in it.
type meterField struct {
	ID, Value, Placeholder, Wrong string
}

// fromMeter answers the field, filled.
func (a *Jobs) fromMeter(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	f := meterField{ID: room.Clip(c.Query("field"), room.MaxWho), Placeholder: room.Clip(c.Query("unit"), room.MaxWho)}
	value, err := a.readMeter(c, j)
	f.Value = value
	if err != nil {
		f.Wrong = room.Sentence(err)
	}
	a.Part(c, http.StatusOK, "scan.html", "meterfield", f)
}

// doneTo is a set-up without how the vehicle stands, which is not the meter's to say.
func doneTo(setup []electric.Action) []string {
	return probe.SetupWords(slices.DeleteFunc(slices.Clone(setup), func(a electric.Action) bool { return a.Stands() }))
}

func (a *Jobs) readMeter(c *gin.Context, j *jobAt) (string, error) {
	m := a.watches.Meter(j.ID)
	query := queries[probe.Do(c.Query("do"))]
	if m == nil || query == "" {
		return "", errors.New("no meter is connected that reads this")
	}
	at, err := j.file.Drawn.FindPin(c.Query("at"))
	if err != nil {
		return "", err
	}
	if m.Simulated() {
		setup, err := electric.ParseSetup(j.file.Drawn, c.QueryArray("setup"))
		if err == nil {
			err = m.SetUp(doneTo(setup))
		}
		if err != nil {
			return "", err
		}
		from := j.file.Drawn.OfKind("battery")[0].Name + ".-"
		if c.Query("from") != "" {
			pin, err := j.file.Drawn.FindPin(c.Query("from"))
			if err != nil {
				return "", err
			}
			from = pin.String()
		}
		for _, command := range []string{fmt.Sprintf("ROUT:RED %q", at), fmt.Sprintf("ROUT:CLAMP %q", at), fmt.Sprintf("ROUT:BLACK %q", from)} {
			if err := m.Tell(command); err != nil {
				return "", err
			}
		}
	}
	v, stable, err := m.Stable(c.Request.Context(), query)
	switch {
	case err != nil:
		return "", err
	case !stable:
		return "", errors.New("the reading does not stand still")
	case math.IsInf(v, 0):
		return "OL", nil
	}
	return fmt.Sprintf("%.2f", v), nil
}
