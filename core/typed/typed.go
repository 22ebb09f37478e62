// Package typed is a harness file as it is being typed: two tables beside its text, a row for every part and every
// wire.
//
// In goes a text that may not be sound yet, out come its rows; a cell that is changed gives the text anew. The
// one idea: the text is the truth. A row is one line of it (a part may take several), a cell changes that line and
// no other, so that comments, order and whatever is not understood stay as they are.
package typed

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/harness"
	"ironthread/core/units"
)

// Section is one of the two tables.
type Section string

// The sections that are shown as tables.
const (
	PartRows Section = "parts"
	WireRows Section = "wires"
)

// PartCells and WireCells name the cells of a row, in their order.
var (
	PartCells = []string{"name", "kind", "settings", "label", "at"}
	WireCells = []string{"from", "to", "colour", "size", "length"}
)

// Row is one part or one wire as a table shows it.
type Row struct {
	First  int               `json:"first"`  // its first line in the text, from 0
	Last   int               `json:"last"`   // the line behind its last
	Cells  map[string]string `json:"cells"`  // by the names of PartCells or WireCells
	Locked bool              `json:"locked"` // its cells are changed in the text; a part's name may be here, too
	Wrong  string            `json:"wrong"`  // what is wrong with it, empty when nothing is
	Cell   string            `json:"cell"`   // the cell that this is about, empty: the whole row

	many, note string // parallel wires, and the comment behind
}

// RowsOf reads the rows of a section; it never fails, for the text is still being typed.
func RowsOf(text string, section Section) []Row {
	lines := strings.Split(text, "\n")
	_, spans := entriesOf(lines, section)
	rows := make([]Row, 0, len(spans))
	for _, s := range spans {
		rows = append(rows, rowOf(lines[s[0]:s[1]], section, s))
	}
	return rows
}

func rowOf(lines []string, section Section, at [2]int) Row {
	row := Row{First: at[0], Last: at[1], Cells: map[string]string{}}
	read := readWireRow
	if section == PartRows {
		read = readPartRow
	}
	if !read(&row, lines) {
		row.Locked = true
		row.Cells[cellsOf(section)[0]] = strings.TrimSpace(lines[0])
	}
	return row
}

func cellsOf(section Section) []string {
	if section == PartRows {
		return PartCells
	}
	return WireCells
}

// entriesOf finds a section's line, -1 where there is none, and for each of its entries the first line and the
// one behind its last.
func entriesOf(lines []string, section Section) (at int, spans [][2]int) {
	at = slices.IndexFunc(lines, func(l string) bool { return strings.HasPrefix(l, string(section)+":") })
	if at < 0 {
		return at, nil
	}
	for k := at + 1; k < len(lines); k++ {
		line := lines[k]
		if bare := strings.TrimSpace(line); bare == "" || strings.HasPrefix(bare, "#") {
			continue
		}
		switch indent := len(line) - len(strings.TrimLeft(line, " ")); {
		case indent == 0:
			return at, spans
		case indent == 2:
			spans = append(spans, [2]int{k, k + 1})
		case len(spans) > 0:
			spans[len(spans)-1][1] = k + 1
		}
	}
	return at, spans
}

// withoutComment parts a line from the comment behind it.
func withoutComment(line string) (body, note string) {
	var in quotes
	for k := range len(line) {
		if !in.inside(line, k) && line[k] == '#' && k > 0 && line[k-1] == ' ' {
			return line[:k-1], line[k-1:]
		}
	}
	return line, ""
}

// quotes follows a line byte by byte and knows whether it is between quotation marks. A mark opens only where a value begins:
// the one in "the left one's" is an apostrophe.
type quotes struct {
	mark byte // 0: outside
	seen byte // the last that was no blank
}

func (q *quotes) inside(line string, k int) bool {
	c := line[k]
	switch {
	case q.mark != 0 && c == q.mark && (c == '\'' || line[k-1] != '\\'):
		q.mark = 0
		q.seen = c
		return true
	case q.mark != 0:
		return true
	case (c == '"' || c == '\'') && (q.seen == 0 || strings.IndexByte(":{[,-", q.seen) >= 0):
		q.mark = c
		return true
	case c != ' ':
		q.seen = c
	}
	return false
}

// plainValue is a value as people write it; asValue spells it for a flow mapping, between quotation marks where it would be read
// as something else.
func plainValue(value string) string {
	value = strings.TrimSpace(value)
	var plain string
	if len(value) > 1 && (value[0] == '"' || value[0] == '\'') && yaml.Unmarshal([]byte(value), &plain) == nil {
		return plain
	}
	return value
}

func asValue(value string) string {
	var back map[string]any
	err := yaml.Unmarshal([]byte("{is: "+value+"}"), &back)
	if text, isText := back["is"].(string); err == nil && isText && text == plainValue(value) {
		return value
	}
	if _, err := units.Figure(value); err == nil { // a figure is one, whatever it names
		return value
	}
	return strconv.Quote(value)
}

var (
	wireLine  = regexp.MustCompile(`^ {2}["']?(\S+)? - (\S*?)["']?:\s*(.*)$`)
	manyWord  = regexp.MustCompile(`^\d+x$`)
	metreWord = regexp.MustCompile(`(?i)^[\d.]+(m|ft)$`)
	sizeWord  = regexp.MustCompile(`(?i)^[\d.]+(mm2|mm²|awg)$`)
	partName  = regexp.MustCompile(`^ {2}["']?([^\s:"']+)["']?:`)
	partFlow  = regexp.MustCompile(`^ {2}[^:]+:\s*\{(.*)\}\s*$`)
	kindWord  = regexp.MustCompile(`kind:\s*([\w-]+)`)
)

// readWireRow reads FROM - TO: [2x] [colour] [size] [length].
func readWireRow(row *Row, lines []string) bool {
	body, note := withoutComment(lines[0])
	m := wireLine.FindStringSubmatch(body)
	if m == nil {
		return false
	}
	row.note = note
	row.Cells["from"], row.Cells["to"] = m[1], m[2]
	for _, word := range strings.Fields(strings.Trim(m[3], `"'`)) {
		switch {
		case manyWord.MatchString(word):
			row.many = word
		case metreWord.MatchString(word):
			row.Cells["length"] = word
		case sizeWord.MatchString(word):
			row.Cells["size"] = word
		default:
			row.Cells["colour"] = strings.TrimSpace(row.Cells["colour"] + " " + word)
		}
	}
	return true
}

func (row *Row) wireText() string {
	c := row.Cells
	words := slices.DeleteFunc([]string{row.many, c["colour"], c["size"], c["length"]}, func(s string) bool { return s == "" })
	return strings.TrimRight(fmt.Sprintf("  %s - %s: %s", c["from"], c["to"], strings.Join(words, " ")), " ") + row.note
}

// readPartRow reads NAME: {kind: fuse, amps: 30, label: …, at: …}; one spread over several lines keeps its
// settings in the text.
func readPartRow(row *Row, lines []string) bool {
	body, note := withoutComment(lines[0])
	name := partName.FindStringSubmatch(body)
	if name == nil {
		return false
	}
	row.note = note
	row.Cells["name"] = name[1]
	flow := partFlow.FindStringSubmatch(body)
	if flow == nil || len(lines) > 1 {
		row.Locked = true
		row.Cells["settings"] = "in the text"
		if m := kindWord.FindStringSubmatch(strings.Join(lines, "\n")); m != nil {
			row.Cells["kind"] = m[1]
		}
		return true
	}
	var rest []string
	for _, item := range topLevel(flow[1]) {
		key, value, _ := strings.Cut(item, ":")
		switch key {
		case "kind", "label", "at":
			row.Cells[key] = plainValue(value)
		default:
			rest = append(rest, item)
		}
	}
	row.Cells["settings"] = strings.Join(rest, ", ")
	return true
}

func (row *Row) partText() string {
	c := row.Cells
	kind := c["kind"]
	if kind == "" {
		kind = string(harness.KindFuse)
	}
	items := []string{"kind: " + kind}
	if c["settings"] != "" {
		items = append(items, c["settings"])
	}
	for _, key := range []string{"label", "at"} {
		if c[key] != "" {
			items = append(items, key+": "+asValue(c[key]))
		}
	}
	return fmt.Sprintf("  %s: {%s}%s", c["name"], strings.Join(items, ", "), row.note)
}

// topLevel parts a flow mapping at its commas, but for those inside brackets and quotes.
func topLevel(flow string) []string {
	var items []string
	var in quotes
	depth, from := 0, 0
	add := func(to int) {
		if item := strings.TrimSpace(flow[from:to]); item != "" {
			items = append(items, item)
		}
		from = to + 1
	}
	for k := range len(flow) {
		if in.inside(flow, k) {
			continue
		}
		switch c := flow[k]; {
		case c == '{' || c == '[':
			depth++
		case c == '}' || c == ']':
			depth--
		case c == ',' && depth == 0:
			add(k)
		}
	}
	if from <= len(flow) {
		add(len(flow))
	}
	return items
}

// SetCell changes one cell of a row, and with it one line of the text. The text stays where there is no such
// row or where it is changed in the text alone.
func SetCell(text string, section Section, n int, cell, value string) string {
	lines := strings.Split(text, "\n")
	rows := RowsOf(text, section)
	if n < 0 || n >= len(rows) || !slices.Contains(cellsOf(section), cell) {
		return text
	}
	row := &rows[n]
	value = strings.TrimSpace(strings.ReplaceAll(value, "\n", " "))
	switch {
	case !row.Locked:
		row.Cells[cell] = value
		if section == PartRows {
			lines[row.First] = row.partText()
		} else {
			lines[row.First] = row.wireText()
		}
	case cell == "name" && partName.MatchString(lines[row.First]):
		lines[row.First] = partName.ReplaceAllLiteralString(lines[row.First], "  "+value+":")
	}
	return strings.Join(lines, "\n")
}

// AddRow puts an empty row behind the last, and the section where there is none.
func AddRow(text string, section Section) string {
	lines := strings.Split(text, "\n")
	at, spans := entriesOf(lines, section)
	if at < 0 {
		lines = append(lines, string(section)+":")
		at = len(lines) - 1
	}
	if strings.HasSuffix(strings.ReplaceAll(lines[at], " ", ""), "{}") {
		lines[at] = string(section) + ":"
	}
	place := at + 1
	if len(spans) > 0 {
		place = spans[len(spans)-1][1]
	}
	line := "  ? - ?:"
	if section == PartRows {
		line = fmt.Sprintf("  %s: {kind: fuse}", freeName(text))
	}
	return strings.Join(slices.Insert(lines, place, line), "\n")
}

// freeName is a name that no part has yet.
func freeName(text string) string {
	rows := RowsOf(text, PartRows)
	for k := 1; ; k++ {
		name := fmt.Sprintf("P%d", k)
		if !slices.ContainsFunc(rows, func(r Row) bool { return r.Cells["name"] == name }) {
			return name
		}
	}
}

// RemoveRow takes a row out, with all its lines.
func RemoveRow(text string, section Section, n int) string {
	rows := RowsOf(text, section)
	if n < 0 || n >= len(rows) {
		return text
	}
	lines := strings.Split(text, "\n")
	return strings.Join(slices.Delete(lines, rows[n].First, rows[n].Last), "\n")
}

// Blame puts what is wrong with a text at the rows whose lines it is about, and at the cell whose words it
// quotes.
func Blame(rows []Row, wrong harness.Errors) {
	for i := range rows {
		row := &rows[i]
		for _, e := range wrong {
			if e.Line <= row.First || e.Line > row.Last || row.Wrong != "" {
				continue
			}
			row.Wrong = e.Msg
			for cell, value := range row.Cells {
				named := strings.HasPrefix(e.Msg, value+":") || strings.Contains(e.Msg, `"`+value+`"`)
				if value != "" && named && (row.Cell == "" || cell < row.Cell) {
					row.Cell = cell
				}
			}
		}
	}
}
