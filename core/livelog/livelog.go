// Package livelog reads a log of live data, from whatever tool wrote it, and finds when the fans were switched.
//
// In goes a table as text (commas, semicolons or tabs; a decimal point or a decimal comma; °C or °F) and which column is
// what; out come the moments at which each stage came on and went off, and what follows from them. The one idea: rows are
// read one after the other, and of each only some bytes are kept, so that a log of half a million rows takes some megabytes.
package livelog

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
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
	for _, c := range t.columns {
		switch {
		case h.Guess.Time == "" && says(c, "time", "zeit", "seconds", "timestamp"):
			h.Guess.Time = c
		case h.Guess.Coolant == "" && says(c, "coolant", "engine temp"):
			h.Guess.Coolant, h.Guess.Fahrenheit = c, says(c, "f", "degf", "fahrenheit")
		case h.Guess.Speed == "" && says(c, "vehicle speed", "road speed", "vss", "km h", "kmh", "kph"):
			h.Guess.Speed = c
		}
		for _, command := range commands {
			if h.Guess.Commands[command] == "" && c != h.Guess.Coolant && c != h.Guess.Time && says(c, command) {
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
	line      int // of the headings
	unread    [][]string
	long      *longForm
}

// words are those of a heading: whole, in small letters; a degree sign before a letter belongs to it.
func words(s string) []string {
	return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// says tells whether a heading has one of some words, each whole: "airflow" says nothing of "low".
func says(column string, phrases ...string) bool {
	has := words(column)
	return slices.ContainsFunc(phrases, func(phrase string) bool {
		want := words(phrase)
		for i := 0; len(want) > 0 && i+len(want) <= len(has); i++ {
			if slices.Equal(has[i:i+len(want)], want) {
				return true
			}
		}
		return false
	})
}

// open finds the separator and reads the headings.
func open(r io.Reader) (*table, error) {
	b := bufio.NewReaderSize(r, longestLine)
	first, err := b.Peek(longestLine)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
		return nil, fmt.Errorf("the log cannot be read: %w", err)
	}
	t := &table{}
	var skip int
	t.separator, t.line, skip = headings(string(first))
	if _, err := b.Discard(skip); err != nil {
		return nil, fmt.Errorf("the log cannot be read: %w", err)
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
	t.units()
	t.asLong(string(first[skip:]))
	return t, nil
}

// headings finds where a log's own lines begin: what stands before them are remarks, with fewer separators than the table has. It gives the
// separator, the number of the line, and how many bytes come before it.
func headings(text string) (separator rune, line, skip int) {
	lines := strings.Split(text, "\n")
	lines = lines[:min(len(lines), mostRemarks)]
	separator = ','
	best := 0
	for _, s := range []rune{',', ';', '\t'} {
		times, first := map[int]int{}, map[int]int{} // by how many of it a line has
		for i, l := range lines {
			n := strings.Count(outsideQuotes(l), string(s))
			if _, seen := first[n]; !seen && n > 0 && !remark(l) {
				first[n] = i
			}
			times[n]++
		}
		for n, i := range first {
			if score := times[n] * (n + 1); score > best && headed(lines[i], s) {
				best, separator, line = score, s, i+1
			}
		}
	}
	for i := range max(0, line-1) {
		skip += len(lines[i]) + 1
	}
	return separator, max(1, line), skip
}

// remark tells whether a line is none of the table.
func remark(line string) bool {
	bare := strings.TrimSpace(strings.TrimPrefix(line, "\uFEFF"))
	return strings.HasPrefix(bare, "#") || strings.HasPrefix(bare, "//")
}

// headed tells whether a line may be the headings: more than half of its cells have a letter.
func headed(line string, separator rune) bool {
	cells := strings.Split(line, string(separator))
	letters := 0
	for _, c := range cells {
		if strings.ContainsFunc(c, unicode.IsLetter) {
			letters++
		}
	}
	return 2*letters > len(cells)
}

// mostRemarks is how many lines are looked at for where the table begins.
const mostRemarks = 60

// outsideQuotes leaves out what stands in quotes.
func outsideQuotes(line string) string {
	parts := strings.Split(line, `"`)
	var b strings.Builder
	for i := 0; i < len(parts); i += 2 {
		b.WriteString(parts[i])
	}
	return b.String()
}

// next is the next row, a kept one first.
func (t *table) next() ([]string, error) {
	if len(t.unread) > 0 {
		row := t.unread[0]
		t.unread = t.unread[1:]
		return t.long.wide(row), nil
	}
	row, err := t.rows.Read()
	if err != nil {
		return row, err
	}
	return t.long.wide(row), nil
}

// units joins a row of units to the headings: the second row, where it has letters and signs and no figure.
func (t *table) units() {
	row, err := t.rows.Read()
	if err != nil {
		return
	}
	row = slices.Clone(row)
	figures := slices.ContainsFunc(row, func(c string) bool { return strings.ContainsAny(c, "0123456789") })
	if figures || len(row) != len(t.columns) || strings.Join(row, "") == "" ||
		slices.ContainsFunc(row, func(c string) bool { _, word := cell([]string{c}, 0); return word }) {
		t.unread = append(t.unread, row)
		return
	}
	for i, unit := range row {
		if unit = strings.TrimSpace(unit); unit != "" {
			t.columns[i] += " [" + strings.Trim(unit, "[]()") + "]"
		}
	}
}

// longForm is a log that has one value a row: when, what, how much. It is read as if each value had a column of its own, in which the rows
// of all others are empty.
type longForm struct {
	time, name, value int
	at                map[string]int // by name, its column
	wideAs            int
}

// asLong looks whether a log has that form, and then takes its names from its first rows.
func (t *table) asLong(text string) {
	find := func(phrases ...string) int {
		return slices.IndexFunc(t.columns, func(c string) bool { return says(c, phrases...) })
	}
	l := &longForm{time: find("time", "timestamp", "seconds"), name: find("name", "signal", "parameter", "pid", "channel"),
		value: find("value"), at: map[string]int{}}
	if l.time < 0 || l.name < 0 || l.value < 0 || len(t.columns) > 5 {
		return
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = t.separator, -1, true
	columns := []string{t.columns[l.time]}
	for n := 0; ; n++ {
		row, err := r.Read()
		if err != nil {
			break
		}
		if n == 0 || l.name >= len(row) {
			continue
		}
		name := strings.TrimSpace(row[l.name])
		if _, known := l.at[name]; !known && name != "" && len(columns) < mostColumns {
			l.at[name] = len(columns)
			columns = append(columns, name)
		}
	}
	if len(columns) > 1 {
		t.long, t.columns, l.wideAs = l, columns, len(columns)
	}
}

// wide is a row of the long form as one of the usual one; another row is as it is.
func (l *longForm) wide(row []string) []string {
	if l == nil {
		return row
	}
	out := make([]string, l.wideAs)
	if l.time < len(row) {
		out[0] = row[l.time]
	}
	if l.name < len(row) && l.value < len(row) {
		if k, known := l.at[strings.TrimSpace(row[l.name])]; known {
			out[k] = row[l.value]
		}
	}
	return out
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
	in, err := t.columnsOf(m)
	if err != nil {
		return nil, err
	}
	a := &analysis{Analysis: &Analysis{Coldest: math.Inf(1), Hottest: math.Inf(-1)}, every: 1, held: map[int]heldValue{}}
	for _, c := range in.named {
		a.Stages = append(a.Stages, Stage{Command: c, On: math.NaN(), Off: math.NaN()})
	}
	a.now = make([]state, len(in.commands))
	if in.seconds >= 0 && says(t.columns[in.seconds], "ms", "msec", "milliseconds") {
		a.scale = 1000
	}
	kept, levels, err := a.readAll(t, in)
	if err != nil {
		return nil, err
	}
	a.last = sample{}
	a.follow(kept, levels, len(in.commands))
	if a.count == 0 {
		return nil, fmt.Errorf("no row of the log can be read (%d of %d are bad, the first in line %d)", a.Bad, a.Rows, a.BadAt)
	}
	a.sum()
	return a.Analysis, nil
}

// inColumns is which column is what, by its place; -1 where there is none.
type inColumns struct {
	seconds, coolant, speed int
	fahrenheit              bool
	commands                []int    // of each stage
	named                   []string // the stages
}

// columnsOf finds the columns that a mapping names.
func (t *table) columnsOf(m Mapping) (*inColumns, error) {
	in := &inColumns{fahrenheit: m.Fahrenheit}
	at := func(column string, into *int) error {
		if *into = -1; column == "" {
			return nil
		}
		if *into = slices.Index(t.columns, column); *into < 0 {
			return fmt.Errorf("the log has no column %q", column)
		}
		return nil
	}
	if err := at(m.Coolant, &in.coolant); err != nil {
		return nil, err
	}
	if in.coolant < 0 {
		return nil, errors.New("say which column is the coolant temperature")
	}
	if err := errors.Join(at(m.Time, &in.seconds), at(m.Speed, &in.speed)); err != nil {
		return nil, err
	}
	for _, c := range slices.Sorted(maps.Keys(m.Commands)) {
		var k int
		if err := at(m.Commands[c], &k); err != nil {
			return nil, err
		}
		if k >= 0 {
			in.commands, in.named = append(in.commands, k), append(in.named, c)
		}
	}
	if len(in.commands) == 0 {
		return nil, errors.New("say which column tells of at least one stage of the fans")
	}
	return in, nil
}

// readAll reads the rows: what is kept of each, and the levels of all commands, row after row. What cannot be read is counted.
func (a *analysis) readAll(t *table, in *inColumns) (kept []written, levels []float32, err error) {
	for {
		row, err := t.next()
		if errors.Is(err, io.EOF) {
			return kept, levels, nil
		}
		var wrong *csv.ParseError
		if err != nil && !errors.As(err, &wrong) {
			return nil, nil, fmt.Errorf("the log cannot be read: %w", err)
		}
		if a.Rows++; a.Rows > MostRows {
			return nil, nil, fmt.Errorf("the log has more than %d rows; cut it", MostRows)
		}
		x, read := a.row(row, in.seconds, in.coolant, in.speed, in.fahrenheit)
		before := len(levels)
		for _, column := range in.commands {
			v, fine := a.holding(row, column, x.seconds)
			if read == whole && fine == partly || fine == unreadable {
				read = fine
			}
			levels = append(levels, float32(v))
		}
		if read != whole || err != nil {
			levels = levels[:before]
			if a.seen++; read == partly && err == nil {
				continue // the rest of it is not known yet
			}
			if a.Bad++; a.BadAt == 0 {
				a.BadAt = a.Rows + t.line
			}
			continue
		}
		a.last = x
		a.seen++
		kept = append(kept, written{float32(x.coolant), float32(x.speed), x.seconds})
	}
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
	seen   int
	scale  float64 // of the time's column; 0: seconds
	held   map[int]heldValue
}

// heldValue is what a column said last, and when: a log that writes only what changes has empty cells between.
type heldValue struct{ value, at float64 }

// written is a row that can be read, kept small: what is on can only be told once all rows are known.
type written struct {
	coolant, speed float32
	seconds        float64
}

// How much of a row can be read: all of it, not yet all since a column has said nothing so far, or something that is no figure.
const (
	whole = iota
	partly
	unreadable
)

// follow goes through the rows with what each stage's column says: its lowest level is off, and on begins a fair way above that, for
// an idle duty is no command.
func (a *analysis) follow(rows []written, levels []float32, stages int) {
	if stages == 0 {
		return
	}
	threshold := make([]float32, stages)
	for k := range threshold {
		low, high := float32(math.Inf(1)), float32(math.Inf(-1))
		for i := k; i < len(levels); i += stages {
			low, high = min(low, levels[i]), max(high, levels[i])
		}
		switch {
		case high-low > leastStep*max(1, high):
			threshold[k] = low + onFrom*(high-low)
		case high > idleDuty || high == 1: // always the same: on, unless it is an idle duty
			threshold[k] = low
		default:
			threshold[k] = high + 1
		}
	}
	on := make([]bool, stages)
	for i, x := range rows {
		for k := range on {
			on[k] = levels[i*stages+k] >= threshold[k] && levels[i*stages+k] > 0
		}
		a.take(sample{x.seconds, float64(x.coolant), float64(x.speed)}, on)
	}
}

// Levels of a command's column (common practice): two that lie this far apart are two, on begins so far above the lower one, and up to so
// many per cent are an idle duty.
const (
	leastStep = 0.1
	onFrom    = 0.15
	idleDuty  = 10
)

// holding reads a cell, or gives what the column said last where it is empty: for as long as a gap is none.
func (a *analysis) holding(row []string, column int, now float64) (float64, int) {
	if column < len(row) && strings.TrimSpace(row[column]) != "" {
		v, ok := cell(row, column)
		if !ok {
			return 0, unreadable
		}
		a.held[column] = heldValue{v, now}
		return v, whole
	}
	if h, said := a.held[column]; said && now-h.at <= gapSeconds {
		return h.value, whole
	}
	return math.NaN(), partly
}

// row reads what is not a command.
func (a *analysis) row(row []string, seconds, coolant, speed int, fahrenheit bool) (x sample, read int) {
	x.seconds = float64(a.Rows - 1)
	if seconds >= 0 {
		var ok bool
		if x.seconds, ok = cell(row, seconds); !ok {
			if x.seconds, ok = a.timeOfDay(row, seconds); !ok {
				return x, unreadable
			}
		} else if a.scale > 0 {
			x.seconds /= a.scale
		}
	}
	if a.seen > 0 && x.seconds < a.last.seconds {
		return x, unreadable
	}
	x.speed = math.NaN() // not known is no standstill
	if speed >= 0 {
		if v, how := a.holding(row, speed, x.seconds); how == whole {
			x.speed = v
		}
	}
	if x.coolant, read = a.holding(row, coolant, x.seconds); read != whole {
		return x, read
	}
	if fahrenheit {
		x.coolant = (x.coolant - 32) * 5 / 9
	}
	if x.coolant < -60 || x.coolant > 250 {
		return x, unreadable
	}
	return x, whole
}

// timeOfDay reads 13:45:02.5, or 2026-11-30T13:45:02.5Z, as seconds, through midnight.
func (a *analysis) timeOfDay(row []string, column int) (float64, bool) {
	if column >= len(row) {
		return 0, false
	}
	words := strings.Fields(strings.Replace(row[column], "T", " ", 1))
	if len(words) == 0 {
		return 0, false
	}
	clock := words[len(words)-1]
	if len(words) > 2 && strings.HasPrefix(clock, "+") {
		clock = words[len(words)-2]
	}
	clock, _, _ = strings.Cut(strings.TrimSuffix(clock, "Z"), "+")
	if k := strings.LastIndex(clock, "-"); k > 0 {
		clock = clock[:k] // an hour's offset
	}
	t, err := time.Parse("15:04:05.999999999", strings.Replace(clock, ",", ".", 1))
	if err != nil {
		return 0, false
	}
	if !a.clock.IsZero() && t.Before(a.clock.Add(-time.Hour)) {
		a.wholes++
	}
	a.clock = t
	return t.Sub(time.Date(0, 1, 1, 0, 0, 0, 0, time.UTC)).Seconds() + float64(a.wholes)*86400, true
}

// cell reads a figure: 1234.5, or 1234,5 where no comma parts the columns, or in quotes; on and off are figures, too.
func cell(row []string, column int) (float64, bool) {
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
	if strings.Count(s, ",") == 1 && !strings.Contains(s, ".") {
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
			*s = state{on: true, since: x.seconds, at: x.coolant, moving: !(x.speed <= standstill), wentOff: s.wentOff, hot: math.NaN()}
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
