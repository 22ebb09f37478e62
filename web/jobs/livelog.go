package jobs

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/job"
	"ironthread/core/livelog"
	"ironthread/core/repair"
	"ironthread/scan"
	"ironthread/scan/describe"
	"ironthread/web/drawing"
	"ironthread/web/room"
)

// A log of live data from any tool: which column is what is guessed and can be said; what it tells goes into the job.

// MaxLog bounds a log that is sent; what is over its memory lies in a file of the system while it is read.
const MaxLog = 48 << 20

const logCookie = "log-columns" // the mapping last used, for the next log of the same tool

type logPage struct {
	jobSide
	Commands []string
	Head     *livelog.Head
	Mapping  livelog.Mapping
	Done     *livelog.Analysis
	Findings []livelog.Finding
	Answers  []logAnswer
	Plot     *drawing.Plot
	Name     string
	Linked   bool // a vehicle is connected
	Live     bool // what is analysed comes from it
}

// logAnswer is a check of the warm-up that the log answers.
type logAnswer struct{ Key, Text, Answer string }

// logForm asks for a log, or, where the vehicle is connected and its own readings are asked for, analyses those.
func (a *Jobs) logForm(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := logPage{jobSide: a.side(c, j, "scan"), Commands: j.file.Drawn.Commands(), Linked: a.watches.Of(j.ID) != nil}
	status := http.StatusOK
	if c.Query("from") == "link" {
		if err := p.fromLink(j, a.watches.Of(j.ID)); err != nil {
			p.Refuse(err)
			status = http.StatusUnprocessableEntity
		}
	}
	a.Render(c, status, "log.html", p)
}

// fromLink analyses what the link to the vehicle has read so far.
func (p *logPage) fromLink(j *jobAt, w *scan.Watch) error {
	if w == nil || w.Vehicle == nil {
		return errors.New("no vehicle is connected; connect one on the page Scan")
	}
	text := logOf(w.Points(), p.Commands)
	p.Name, p.Live = "What the vehicle has shown so far", true
	p.Mapping = livelog.Mapping{Time: linkTime, Coolant: describe.Coolant, Speed: describe.Speed, Commands: map[string]string{}}
	for _, command := range p.Commands {
		p.Mapping.Commands[command] = commanded + command
	}
	var err error
	if p.Done, err = livelog.Analyse(strings.NewReader(text), p.Mapping); err != nil {
		return err
	}
	p.told(j)
	return nil
}

// Headings of a log that the link writes.
const (
	linkTime  = "time"
	commanded = "commanded "
)

// logOf writes what a link has read as a log, which anything that reads logs can take.
func logOf(points []scan.Point, commands []string) string {
	columns := []string{describe.Coolant, describe.Speed}
	for _, command := range commands {
		columns = append(columns, commanded+command)
	}
	var b strings.Builder
	b.WriteString(linkTime + "," + strings.Join(columns, ",") + "\n")
	for _, at := range points {
		if at.Command != "" {
			continue // a tester commands: the thresholds are not the vehicle's own
		}
		b.WriteString(strconv.FormatFloat(at.Seconds, 'f', 2, 64))
		for _, column := range columns {
			b.WriteString("," + strconv.FormatFloat(at.Values[column], 'f', -1, 64))
		}
		b.WriteString("\n")
	}
	return b.String()
}

// told is what an analysis says about the job.
func (p *logPage) told(j *jobAt) {
	p.Findings = livelog.Findings(j.file.Drawn, p.Done)
	p.Answers = answersOf(j, p.Done)
	p.Plot = p.plot()
}

// readLog analyses what was sent; nothing of it is kept but what is then entered.
func (a *Jobs) readLog(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p := logPage{jobSide: a.side(c, j, "scan"), Commands: j.file.Drawn.Commands()}
	status := http.StatusOK
	if err := p.read(c, j); err != nil {
		p.Refuse(err)
		status = http.StatusUnprocessableEntity
	}
	a.Render(c, status, "log.html", p)
}

func (p *logPage) read(c *gin.Context, j *jobAt) error {
	header, err := c.FormFile("log")
	if err != nil {
		return errors.New("choose a log first")
	}
	p.Name = room.Clip(header.Filename, room.MaxText)
	f, err := header.Open()
	if err != nil {
		return fmt.Errorf("the log cannot be read: %w", err)
	}
	defer f.Close() // it was only read
	if p.Head, err = livelog.ReadHead(f, p.Commands); err != nil {
		return err
	}
	p.Mapping = p.Head.Guess
	remembered, _ := c.Cookie(logCookie) // absent: only the guess
	for _, pair := range strings.Split(remembered, "\x1f") {
		p.choose(pair)
	}
	for _, what := range append([]string{"time", "coolant", "speed"}, p.Commands...) {
		if column := c.PostForm("column-" + what); column != "" {
			p.choose(what + "=" + column)
		}
	}
	if c.PostForm("unit") != "" {
		p.Mapping.Fahrenheit = c.PostForm("unit") == "F"
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return fmt.Errorf("the log cannot be read again: %w", err)
	}
	if p.Done, err = livelog.Analyse(f, p.Mapping); err != nil {
		return err
	}
	p.remember(c)
	p.told(j)
	return nil
}

// choose takes "coolant=Engine temp" over the guess, where the log has that column.
func (p *logPage) choose(pair string) {
	what, column, ok := strings.Cut(pair, "=")
	if !ok || !slices.Contains(p.Head.Columns, column) {
		return
	}
	switch {
	case what == "time":
		p.Mapping.Time = column
	case what == "coolant":
		p.Mapping.Coolant = column
	case what == "speed":
		p.Mapping.Speed = column
	case slices.Contains(p.Commands, what):
		p.Mapping.Commands[what] = column
	}
}

func (p *logPage) remember(c *gin.Context) {
	pairs := []string{"time=" + p.Mapping.Time, "coolant=" + p.Mapping.Coolant, "speed=" + p.Mapping.Speed}
	for _, command := range p.Commands {
		pairs = append(pairs, command+"="+p.Mapping.Commands[command])
	}
	room.Keep(c, logCookie, strings.Join(pairs, "\x1f"))
}

// answersOf lists the checks of the warm-up that the log answers.
func answersOf(j *jobAt, a *livelog.Analysis) []logAnswer {
	v, err := j.verification()
	if err != nil {
		return nil
	}
	var list []logAnswer
	checks := make([]repair.Check, len(v.List))
	for i, t := range v.List {
		checks[i] = t.Check
	}
	words := repair.FromLog(checks, a)
	for _, c := range checks {
		if word := words[c.Key]; word != "" {
			list = append(list, logAnswer{c.Key, c.Text, word})
		}
	}
	return list
}

// plot draws the coolant with the moments at which stages came and went.
func (p *logPage) plot() *drawing.Plot {
	if len(p.Done.Points) < 2 {
		return nil
	}
	plot := &drawing.Plot{Title: "Coolant", Unit: "°C", From: p.Done.From, To: max(p.Done.To, p.Done.From+1)}
	line := drawing.PlotLine{}
	for _, at := range p.Done.Points {
		line.Seconds, line.Values = append(line.Seconds, at.Seconds), append(line.Values, at.Coolant)
	}
	plot.Lines = []drawing.PlotLine{line}
	const mostMarks = 24
	for _, s := range p.Done.Stages {
		for _, x := range s.Switches {
			if len(plot.Marks) < mostMarks {
				plot.Marks = append(plot.Marks, drawing.PlotMark{At: x.On, Text: s.Command})
			}
		}
	}
	return plot
}

// enterLog writes what a log tells into the job: its findings as lines, and the answers to the warm-up's checks.
func (a *Jobs) enterLog(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	a.change(c, j, fmt.Sprintf("/jobs/%d/verify", j.ID), nil, func(j *jobAt) ([]job.Entry, error) {
		var entries []job.Entry
		for i, text := range c.PostFormArray("finding") {
			if text = room.Clip(strings.TrimSpace(text), room.MaxText); text != "" && i < 40 {
				entries = append(entries, job.Entry{Body: job.Note{Text: "log: " + text}})
			}
		}
		v, err := j.verification()
		if err != nil {
			return nil, err
		}
		for _, t := range v.List {
			if answer := strings.TrimSpace(room.Clip(c.PostForm("check-"+t.Key), room.MaxText)); answer != "" && t.Warm {
				entries = append(entries, job.Entry{Body: job.Check{Key: t.Key, Answer: t.Answer(answer, room.UnitsOf(c))}})
			}
		}
		if len(entries) == 0 {
			return nil, refused("The log tells nothing that could be entered.")
		}
		return entries, nil
	})
}
