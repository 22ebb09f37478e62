package jobs

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/sensor"
	"ironthread/core/units"
	"ironthread/web/room"
)

// Without a command tool: a resistor in the place of the coolant sensor makes the controller believe a temperature. What
// value, in which order a decade box is set, and what "cut in at so many ohms" says of a threshold.

type standInPage struct {
	jobSide
	Sensors []*harness.Part
	Sensor  string
	Celsius string
	From    string
	Ohms    float64
	Sold    float64
	Means   float64 // °C that the resistor sold stands for
	Steps   []sensor.Step
	Stages  []stageAt
}

// stageAt is a stage of the strategy with the resistor that provokes it.
type stageAt struct {
	Command   string
	On, Off   float64
	OnAt, Out float64 // ohms
}

// defaultWarm is how hot an engine is taken to be where nothing is said, °C.
const defaultWarm = 60

func (a *Jobs) standIn(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := standInPage{jobSide: a.side(c, j, "scan"), Sensors: j.file.Drawn.OfKind(harness.KindSensor), Sensor: c.Query("sensor"),
		Celsius: c.Query("celsius"), From: c.Query("from")}
	status := http.StatusOK
	if err := p.reckon(c, j); err != nil {
		p.Refuse(err)
		status = http.StatusUnprocessableEntity
	}
	a.Render(c, status, "standin.html", p)
}

// curveOf is the curve of a sensor of the circuit; the first where none is named.
func curveOf(c *harness.Circuit, name string) (*harness.Part, *harness.Curve, error) {
	for _, p := range c.OfKind(harness.KindSensor) {
		if name == "" || p.Name == name {
			return p, &p.Spec.(*harness.Sensor).Curve, nil
		}
	}
	if name == "" {
		return nil, nil, errors.New("this circuit is drawn without a temperature sensor")
	}
	return nil, nil, fmt.Errorf("there is no sensor %s", harness.Clipped(name, room.MaxWho))
}

func (p *standInPage) reckon(c *gin.Context, j *jobAt) error {
	part, curve, err := curveOf(j.file.Drawn, p.Sensor)
	if err != nil {
		return err
	}
	p.Sensor = part.Name
	for _, r := range j.file.Drawn.Strategy {
		if r.OnAbove == nil {
			continue
		}
		s := stageAt{Command: r.Command, On: *r.OnAbove, OnAt: math.Floor(curve.Ohms(*r.OnAbove + 1))}
		if r.OffBelow != nil {
			s.Off, s.Out = *r.OffBelow, math.Ceil(curve.Ohms(*r.OffBelow-1))
		}
		p.Stages = append(p.Stages, s)
	}
	if p.Celsius == "" {
		return nil
	}
	celsius, err := room.UnitsOf(c).Celsius(p.Celsius)
	if err != nil {
		return err
	}
	p.Ohms = math.Round(curve.Ohms(celsius))
	if p.Ohms < 1 || p.Ohms > sensor.MostDecade {
		return fmt.Errorf("no resistor stands in for %.0f °C on this sensor", celsius)
	}
	p.Sold = sensor.Nearest(p.Ohms)
	p.Means = curve.Celsius(p.Sold)
	from := int(math.Round(curve.Ohms(defaultWarm)))
	if p.From != "" {
		if from, err = strconv.Atoi(strings.TrimSpace(p.From)); err != nil {
			return fmt.Errorf("%q are no ohms; type a whole number", harness.Clipped(p.From, room.MaxWho))
		}
	}
	p.From = strconv.Itoa(from)
	p.Steps, err = sensor.Decade(from, int(p.Ohms))
	return err
}

// recordStandIn writes at which ohms a stage came in or went out: through the sensor's curve that is a temperature, and
// evidence of a threshold.
func (a *Jobs) recordStandIn(c *gin.Context) {
	a.write(c, func(j *jobAt) ([]job.Entry, error) {
		part, curve, err := curveOf(j.file.Drawn, c.PostForm("sensor"))
		if err != nil {
			return nil, refusedFor(err)
		}
		var entries []job.Entry
		for _, r := range j.file.Drawn.Strategy {
			for _, way := range []struct {
				key, words string
				at         *float64
			}{{"in", "cut in", r.OnAbove}, {"out", "cut out", r.OffBelow}} {
				typed := strings.TrimSpace(c.PostForm(way.key + "-" + r.Command))
				if typed == "" {
					continue
				}
				ohms, err := units.Figure(strings.TrimSuffix(strings.TrimSpace(typed), "Ω"))
				if err != nil || !(ohms >= 1 && ohms <= sensor.MostDecade) {
					return nil, refused("%q are no ohms of a stand-in.", harness.Clipped(typed, room.MaxWho))
				}
				text := fmt.Sprintf("%s %s at %g Ω in place of %s, which its curve calls %.0f °C", r.Command, way.words, ohms, part.Name,
					curve.Celsius(ohms))
				if way.at != nil {
					text += fmt.Sprintf("; the strategy says %.0f °C", *way.at)
				}
				entries = append(entries, job.Entry{Body: job.Note{Text: text}})
			}
		}
		if len(entries) == 0 {
			return nil, refused("Say at how many ohms a stage came in or went out.")
		}
		return entries, nil
	})
}
