// Package livelog reads a log of live data, from whatever tool wrote it, and finds when the fans were switched.
//
// In goes a table as text (commas, semicolons or tabs; a decimal point or a decimal comma; °C or °F) and which column is
// what; out come the moments at which each stage came on and went off, and what follows from them. The one idea: rows are
// read one after the other and never kept, so that a log of hours takes no more room than one of minutes.
package livelog

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Mapping says which column is what, by its heading.
type Mapping struct {
	Time       string            // seconds, or a time of day; empty: a row a second
	Coolant    string            // needed
	Speed      string            // km/h; empty: not known
	Commands   map[string]string // of each stage, the column that says how far it is on: 0 is off
	Fahrenheit bool              // the coolant's column is in °F
}

// Limits of a log.
const (
	MostRows     = 500_000
	mostColumns  = 200
	longestLine  = 64 << 10
	keptPoints   = 1200 // of the plot
	mostSwitches = 2000 // of one stage
)

// What counts (common practice).
const (
	shortSeconds    = 20.0 // a stage that comes back sooner than this after it went off cycles
	notCoolingAfter = 90.0 // seconds for which a stage is on while
	notCoolingRise  = 3.0  // °C are gained
	standstill      = 5.0  // km/h
	gapSeconds      = 10.0 // between two rows: what happened meanwhile is not known
	within          = 3.0  // °C between what was seen and the strategy's own
)

// Head is the beginning of a log: its headings, with what they are taken for.
type Head struct {
	Columns   []string
	Separator rune
	Guess     Mapping
}

// ReadHead reads a log's headings and guesses what they mean for a circuit's commands.
func ReadHead(r io.Reader, commands []string) (*Head, error) {
	t, err := open(r)
	if err != nil {
		return nil, err
	}
	h := &Head{Columns: t.columns, Separator: t.separator, Guess: Mapping{Commands: map[string]string{}}}
	has := func(column string, words ...string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(strings.ToLower(column), w) })
	}
	for _, c := range t.columns {
		switch {
		case h.Guess.Time == "" && has(c, "time", "zeit", "seconds"):
			h.Guess.Time = c
		case h.Guess.Coolant == "" && has(c, "coolant", "engine temp"):
			h.Guess.Coolant, h.Guess.Fahrenheit = c, has(c, "°f", "(f)", "degf", "fahrenheit")
		case h.Guess.Speed == "" && has(c, "vehicle speed", "road speed", "vss", "km/h"):
			h.Guess.Speed = c
		}
		for _, command := range commands {
			if h.Guess.Commands[command] == "" && has(c, strings.ToLower(command)) {
				h.Guess.Commands[command] = c
			}
		}
	}
	return h, nil
}

// table is a log being read.
type table struct {
	rows      *csv.Reader
	columns   []string
	separator rune
}

// open finds the separator and reads the headings.
func open(r io.Reader) (*table, error) {
	b := bufio.NewReaderSize(r, longestLine)
	first, err := b.Peek(longestLine)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
		return nil, fmt.Errorf("the log cannot be read: %w", err)
	}
	line, _, _ := strings.Cut(string(first), "\n")
	line = strings.TrimPrefix(line, "\uFEFF")
	t := &table{separator: ','}
	for _, s := range []rune{';', '\t'} {
		if strings.Count(line, string(s)) > strings.Count(line, string(t.separator)) {
			t.separator = s
		}
	}
	t.rows = csv.NewReader(b)
	t.rows.Comma, t.rows.FieldsPerRecord, t.rows.ReuseRecord, t.rows.LazyQuotes = t.separator, -1, true, true
	head, err := t.rows.Read()
	switch {
	case errors.Is(err, io.EOF):
		return nil, errors.New("the log is empty")
	case err != nil:
		return nil, fmt.Errorf("the log's first line cannot be read: %w", err)
	case len(head) > mostColumns:
		return nil, fmt.Errorf("the log has %d columns; %d are the most", len(head), mostColumns)
	}
	for _, c := range head {
		t.columns = append(t.columns, strings.TrimSpace(strings.TrimPrefix(c, "\uFEFF")))
	}
	return t, nil
}

// Switch is a stage that came on and went off again.
type Switch struct {
	On, Off     float64 // seconds; Off is NaN where the log ends with it on
	OnAt, OffAt float64 // °C
	Seconds     float64 // it was on
	Moving      bool
}

// Stage is one command through the log.
type Stage struct {
	Command    string
	Switches   []Switch
	On, Off    float64 // °C, the middle of all; NaN where none was seen
	Hysteresis float64
	Cools      float64 // seconds from on to off, the middle
	Short      int     // came back within shortSeconds
	Idle       int     // was on for long at a standstill, and it got hotter
}

// Point is one of the plot.
type Point struct {
	Seconds, Coolant float64
	On               []bool // by stage
}

// Analysis is what a log tells.
type Analysis struct {
	Rows, Bad, Gaps int
	From, To        float64
	Coldest         float64
	Hottest         float64
	Stages          []Stage
	Points          []Point
	BadAt           int // the line of the first row that could not be read
}

// Analyse reads a whole log.
func Analyse(r io.Reader, m Mapping) (*Analysis, error) {
	t, err := open(r)
	if err != nil {
		return nil, err
	}
	at := func(column string) (int, error) {
		if column == "" {
			return -1, nil
		}
		k := slices.Index(t.columns, column)
		if k < 0 {
			return k, fmt.Errorf("the log has no column %q", column)
		}
		return k, nil
	}
	coolant, err := at(m.Coolant)
	if err != nil {
		return nil, err
	}
	if coolant < 0 {
		return nil, errors.New("say which column is the coolant temperature")
	}
	seconds, err := at(m.Time)
	if err != nil {
		return nil, err
	}
	speed, err := at(m.Speed)
	if err != nil {
		return nil, err
	}
	a := &analysis{Analysis: &Analysis{Coldest: math.Inf(1), Hottest: math.Inf(-1)}, every: 1}
	var columns []int
	commands := make([]string, 0, len(m.Commands))
	for c := range m.Commands {
		commands = append(commands, c)
	}
	slices.Sort(commands)
	for _, c := range commands {
		k, err := at(m.Commands[c])
		if err != nil {
			return nil, err
		}
		if k >= 0 {
			columns = append(columns, k)
			a.Stages = append(a.Stages, Stage{Command: c, On: math.NaN(), Off: math.NaN()})
		}
	}
	if len(columns) == 0 {
		return nil, errors.New("say which column tells of at least one stage of the fans")
	}
	a.now = make([]state, len(columns))
	on := make([]bool, len(columns))
	comma := t.separator != ','
	for {
		row, err := t.rows.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var wrong *csv.ParseError
		if err != nil && !errors.As(err, &wrong) {
			return nil, fmt.Errorf("the log cannot be read: %w", err)
		}
		if a.Rows++; a.Rows > MostRows {
			return nil, fmt.Errorf("the log has more than %d rows; cut it", MostRows)
		}
		x, ok := a.row(row, seconds, coolant, speed, comma, m.Fahrenheit)
		for k, column := range columns {
			v, fine := cell(row, column, comma)
			ok = ok && fine
			on[k] = v > 0
		}
		if !ok || err != nil {
			if a.Bad++; a.BadAt == 0 {
				a.BadAt = a.Rows + 1
			}
			continue
		}
		a.take(x, on)
	}
	if a.count == 0 {
		return nil, fmt.Errorf("no row of the log can be read (%d of %d are bad, the first in line %d)", a.Bad, a.Rows, a.BadAt)
	}
	a.sum()
	return a.Analysis, nil
}

// sample is one row.
type sample struct {
	seconds, coolant, speed float64
}

// state is a stage as the log has come.
type state struct {
	on      bool
	since   float64
	at      float64 // °C then
	moving  bool
	wentOff float64
	hot     float64 // °C after notCoolingAfter, of those at a standstill
}

// analysis is a log being analysed.
type analysis struct {
	*Analysis
	now    []state
	last   sample
	count  int
	every  int // of how many rows one is kept for the plot
	clock  time.Time
	wholes int // days that the time of day has come round
}

// row reads what is not a command.
func (a *analysis) row(row []string, seconds, coolant, speed int, comma, fahrenheit bool) (x sample, ok bool) {
	if x.coolant, ok = cell(row, coolant, comma); !ok {
		return x, false
	}
	if fahrenheit {
		x.coolant = (x.coolant - 32) * 5 / 9
	}
	if x.coolant < -60 || x.coolant > 250 {
		return x, false
	}
	if speed >= 0 {
		x.speed, _ = cell(row, speed, comma) // an empty one is a standstill
	}
	x.seconds = float64(a.Rows - 1)
	if seconds >= 0 {
		if x.seconds, ok = cell(row, seconds, comma); !ok {
			x.seconds, ok = a.timeOfDay(row, seconds)
		}
	}
	return x, ok && (a.count == 0 || x.seconds >= a.last.seconds)
}

// timeOfDay reads 13:45:02.5 as seconds, through midnight.
func (a *analysis) timeOfDay(row []string, column int) (float64, bool) {
	if column >= len(row) {
		return 0, false
	}
	words := strings.Fields(row[column])
	if len(words) == 0 {
		return 0, false
	}
	t, err := time.Parse("15:04:05.999", strings.Replace(words[len(words)-1], ",", ".", 1))
	if err != nil {
		return 0, false
	}
	if !a.clock.IsZero() && t.Before(a.clock.Add(-time.Hour)) {
		a.wholes++
	}
	a.clock = t
	return t.Sub(time.Date(0, 1, 1, 0, 0, 0, 0, time.UTC)).Seconds() + float64(a.wholes)*86400, true
}

// cell reads a figure: 1234.5, or 1234,5 where commas do not part the columns; on and off are figures, too.
func cell(row []string, column int, comma bool) (float64, bool) {
	if column >= len(row) {
		return 0, false
	}
	s := strings.TrimSpace(row[column])
	switch strings.ToLower(s) {
	case "on", "yes", "true", "active":
		return 1, true
	case "off", "no", "false", "inactive":
		return 0, true
	}
	if comma {
		s = strings.Replace(s, ",", ".", 1)
	}
	v, err := strconv.ParseFloat(strings.TrimRight(s, " %°CFkmh/"), 64)
	return v, err == nil && !math.IsNaN(v) && !math.IsInf(v, 0)
}

// take follows the stages through one row.
func (a *analysis) take(x sample, on []bool) {
	if a.count == 0 {
		a.From = x.seconds
	} else if x.seconds-a.last.seconds > gapSeconds {
		a.Gaps++
	}
	gap := a.count > 0 && x.seconds-a.last.seconds > gapSeconds
	a.To = x.seconds
	a.Coldest, a.Hottest = min(a.Coldest, x.coolant), max(a.Hottest, x.coolant)
	for k := range on {
		s, stage := &a.now[k], &a.Stages[k]
		switch {
		case a.count == 0:
			*s = state{on: on[k], since: math.NaN(), wentOff: math.NaN()}
		case on[k] && !s.on:
			if x.seconds-s.wentOff < shortSeconds {
				stage.Short++
			}
			*s = state{on: true, since: x.seconds, at: x.coolant, moving: x.speed > standstill, wentOff: s.wentOff, hot: math.NaN()}
			if gap {
				s.since = math.NaN() // it came on while nothing was written
			}
		case !on[k] && s.on:
			if !math.IsNaN(s.since) && !gap && len(stage.Switches) < mostSwitches {
				stage.Switches = append(stage.Switches, Switch{s.since, x.seconds, s.at, x.coolant, x.seconds - s.since, s.moving})
			}
			s.on, s.wentOff = false, x.seconds
		case on[k] && !math.IsNaN(s.since) && math.IsNaN(s.hot) && x.seconds-s.since > notCoolingAfter:
			s.hot = x.coolant
			if !s.moving && x.speed <= standstill && s.hot > s.at+notCoolingRise {
				stage.Idle++
			}
		}
	}
	if a.count%a.every == 0 {
		a.Points = append(a.Points, Point{x.seconds, x.coolant, slices.Clone(on)})
		if len(a.Points) >= 2*keptPoints { // half as fine from here on
			for i := range keptPoints {
				a.Points[i] = a.Points[2*i]
			}
			a.Points = a.Points[:keptPoints]
			a.every *= 2
		}
	}
	a.last = x
	a.count++
}

// sum finds the middle of each stage's switches.
func (a *analysis) sum() {
	for k := range a.Stages {
		s := &a.Stages[k]
		if a.now[k].on && !math.IsNaN(a.now[k].since) {
			s.Switches = append(s.Switches, Switch{a.now[k].since, math.NaN(), a.now[k].at, math.NaN(), a.To - a.now[k].since, a.now[k].moving})
		}
		var on, off, took []float64
		for _, x := range s.Switches {
			on = append(on, x.OnAt)
			if !math.IsNaN(x.OffAt) {
				off, took = append(off, x.OffAt), append(took, x.Seconds)
			}
		}
		s.On, s.Off, s.Cools = middle(on), middle(off), middle(took)
		s.Hysteresis = s.On - s.Off
	}
}

// middle is the median; NaN of nothing.
func middle(list []float64) float64 {
	if len(list) == 0 {
		return math.NaN()
	}
	sorted := slices.Clone(list)
	slices.Sort(sorted)
	if n := len(sorted); n%2 == 0 {
		return (sorted[n/2-1] + sorted[n/2]) / 2
	}
	return sorted[len(sorted)/2]
}
