package sheet_test

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/sheet"
	"ironthread/library"
	"ironthread/soak"
)

type box struct{ x1, y1, x2, y2 int }

func (b box) hits(o box) bool { return b.x1 < o.x2 && o.x1 < b.x2 && b.y1 < o.y2 && o.y1 < b.y2 }

func segmentBox(s sheet.Segment) box {
	return box{min(s.X1, s.X2), min(s.Y1, s.Y2), max(s.X1, s.X2), max(s.Y1, s.Y2)}
}

// textBox is where a text's ink lies: capitals and descenders about the baseline.
func textBox(t sheet.Text) box { return box{t.X, t.Y - t.H*3/4, t.X + t.W - 1, t.Y + t.H/5} }

var drawnOnce map[string]*sheet.Sheet

// shipped is the drawing that a circuit of the library ships with.
func shipped(t *testing.T, e library.Entry) *sheet.Sheet {
	t.Helper()
	s, err := sheet.Restore(e.Circuit, library.Drawn(string(e.Text)))
	require.NoError(t, err, "%s: run go generate ./library", e.Name)
	return s
}

// sheets gives the drawings of the library, of one typed by hand without places or labels, and of one of forty parts; once
// for all tests.
func sheets(t *testing.T) map[string]*sheet.Sheet {
	t.Helper()
	if drawnOnce != nil {
		return drawnOnce
	}
	entries, err := library.All()
	require.NoError(t, err)
	drawn := map[string]*sheet.Sheet{}
	for _, e := range entries {
		drawn[e.Name] = shipped(t, e)
	}
	large, err := harness.Read(forty)
	require.NoError(t, err)
	drawn["forty"] = sheet.Draw(large)
	c, err := harness.Read([]byte(`harness: 1
parts:
  B: {kind: battery}
  F: {kind: fuse, amps: 20}
  K: {kind: relay, contacts: make}
  M: {kind: motor, volts: 12, amps: 8}
  G: {kind: ground}
  S: {kind: splice}
  T: {kind: switch, closed-when: key}
wires: {B.+ - F.a: , F.b - S: , S - K.30: , S - T.a: , T.b - K.86: , K.85 - G: , K.87 - M.+: , M.- - G: }
states: {off: {}, on: {key: on}}
`))
	require.NoError(t, err)
	drawn["by hand"] = sheet.Draw(c)
	drawnOnce = drawn
	return drawn
}

func TestGeometry(t *testing.T) {
	for name, s := range sheets(t) {
		t.Run(name, func(t *testing.T) {
			assert.Empty(t, s.Unrouted)
			orthogonal(t, s)
			clearOfParts(t, s)
			ownLines(t, s)
			legible(t, s)
			t.Logf("%d symbols, %d crossings, %d bends, %d×%d", len(s.Symbols), s.Crossings, s.Bends, s.Width, s.Height)
		})
	}
}

func orthogonal(t *testing.T, s *sheet.Sheet) {
	for _, l := range s.Lines {
		for _, g := range l.Segments {
			assert.True(t, (g.X1 == g.X2) != (g.Y1 == g.Y2), "a segment is level or plumb: %+v", g)
		}
	}
}

// clearOfParts: power above, ground below, no part over another, no line through a part.
func clearOfParts(t *testing.T, s *sheet.Sheet) {
	for i := range s.Symbols {
		a := &s.Symbols[i]
		body := box{a.X, a.Y, a.X + a.W, a.Y + a.H}
		assert.Greater(t, a.Y, s.Rail.Y, "%s is above the feed", a.Part.Name)
		assert.Less(t, a.Y+a.H, s.Ground.Y+1, "%s is below the ground", a.Part.Name)
		for j := range i {
			b := &s.Symbols[j]
			assert.False(t, body.hits(box{b.X, b.Y, b.X + b.W, b.Y + b.H}), "%s lies over %s", a.Part.Name, b.Part.Name)
		}
		for _, l := range s.Locals {
			symbol := box{l.Mark.X - 14, l.Mark.Y + 4, l.Mark.X + 14, l.Mark.Y + 32}
			if l.Up {
				symbol = box{l.Mark.X - 14, l.Mark.Y - 32, l.Mark.X + 14, l.Mark.Y - 4}
			}
			assert.False(t, symbol.hits(body), "the ground symbol at %s stands on %s", l.Mark.Pin, a.Part.Name)
		}
		for _, l := range s.Lines {
			for _, g := range l.Segments {
				assert.True(t, min(g.Y1, g.Y2) >= s.Rail.Y && max(g.Y1, g.Y2) <= s.Ground.Y, "a line leaves the page: %+v", g)
				inside := box{body.x1 + 1, body.y1 + 1, body.x2 - 1, body.y2 - 1}
				line := segmentBox(g)
				line.x2, line.y2 = line.x2+1, line.y2+1
				assert.False(t, line.hits(inside), "a line runs through %s: %+v", a.Part.Name, g)
			}
		}
	}
}

// ownLines: two nets never share a line, nor touch but where they cross.
func ownLines(t *testing.T, s *sheet.Sheet) {
	for i, a := range s.Lines {
		for _, b := range s.Lines[:i] {
			if (a.Rail && b.Rail) || (a.Ground && b.Ground) {
				continue
			}
			for _, g := range a.Segments {
				for _, h := range b.Segments {
					sameWay := (g.X1 == g.X2) == (h.X1 == h.X2)
					p, q := segmentBox(g), segmentBox(h)
					touch := p.x1 <= q.x2 && q.x1 <= p.x2 && p.y1 <= q.y2 && q.y1 <= p.y2
					assert.False(t, touch && sameWay, "two nets share a line: %+v %+v", g, h)
					if touch && !sameWay {
						level, plumb := p, q
						if g.X1 == g.X2 {
							level, plumb = q, p
						}
						through := plumb.x1 > level.x1 && plumb.x1 < level.x2 && level.y1 > plumb.y1 && level.y1 < plumb.y2
						assert.True(t, through, "two nets meet where they should cross: %+v %+v", g, h)
					}
				}
			}
		}
	}
}

// legible: no text over another text, over a line or over a symbol it is not part of.
func legible(t *testing.T, s *sheet.Sheet) {
	for i, a := range s.Texts {
		mine := textBox(a)
		for _, b := range s.Texts[:i] {
			assert.False(t, mine.hits(textBox(b)), "%v lies over %v", a, b)
		}
		for _, l := range s.Lines {
			for _, g := range l.Segments {
				line := segmentBox(g)
				line.x2, line.y2 = line.x2+1, line.y2+1
				assert.False(t, mine.hits(line), "%v lies over a line %+v", a, g)
			}
		}
		if a.Kind == sheet.PinText {
			continue
		}
		for j := range s.Symbols {
			b := &s.Symbols[j]
			if b.Part.Name == a.Part && sheet.Boxed(b.Part) {
				continue
			}
			// A fuse or a motor is narrower than its box.
			inset := 0
			if b.Part.Kind() != harness.KindRelay && !sheet.Boxed(b.Part) {
				inset = 10
			}
			assert.False(t, mine.hits(box{b.X + inset, b.Y + 6, b.X + b.W - inset, b.Y + b.H - 6}), "%v lies over %s", a, b.Part.Name)
		}
	}
}

func TestNamesAreAllThere(t *testing.T) {
	for name, s := range sheets(t) {
		named := map[string]bool{}
		for _, x := range s.Texts {
			if x.Kind == sheet.NameText {
				named[x.Part] = true
			}
		}
		for i := range s.Symbols {
			assert.True(t, named[s.Symbols[i].Part.Name], "%s: %s has no name", name, s.Symbols[i].Part.Name)
		}
	}
}

// Every wire's pins are on one line or hang on a ground symbol, and each segment of a line
// knows what hangs beyond it.
func TestLinesJoinTheirPins(t *testing.T) {
	for name, s := range sheets(t) {
		for _, l := range s.Lines {
			for _, g := range l.Segments {
				assert.LessOrEqual(t, len(g.Beyond), len(l.Pins), name)
			}
			if len(l.Pins) > 1 {
				assert.GreaterOrEqual(t, len(l.Segments), 1, name)
			}
		}
	}
}

// What ships with the library, unpacked, is what drawing gives now: equal circuits give equal sheets, and whoever changes the
// rules of drawing makes the library's anew. In every run three circuits are drawn, in the soak all.
func TestTheLibraryShipsDrawn(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range soak.Of(entries[:3], entries) {
		assert.True(t, reflect.DeepEqual(sheet.Draw(e.Circuit), shipped(t, e)), "%s: run go generate ./library", e.Name)
	}
}

// A kept drawing that is another circuit's, of other rules, cut off or no drawing at all is refused, so that it is drawn anew.
func TestAKeptDrawingIsChecked(t *testing.T) {
	one, err := library.Open("f1-one-relay")
	require.NoError(t, err)
	other, err := library.Open("f6-resistor-card")
	require.NoError(t, err)
	b, err := shipped(t, one).Keep()
	require.NoError(t, err)
	_, err = sheet.Restore(one.Circuit, b)
	require.NoError(t, err)
	_, err = sheet.Restore(other.Circuit, b)
	require.ErrorContains(t, err, "which this circuit has not")
	for _, bad := range [][]byte{nil, b[:len(b)/2], []byte("no drawing")} {
		_, err = sheet.Restore(one.Circuit, bad)
		require.Error(t, err)
	}
}

// The library and a circuit of forty parts are drawn with no more crossings, bends and line than when eight full tries of
// twenty thousand steps and more were made of each: 21, 104 and 23,740 pixels, measured then.
func TestDrawingsAreNoWorse(t *testing.T) {
	crossings, bends, pixels := 0, 0, 0
	for name, s := range sheets(t) {
		if name == "by hand" {
			continue
		}
		crossings, bends, pixels = crossings+s.Crossings, bends+s.Bends, pixels+length(s)
	}
	assert.LessOrEqual(t, crossings, 21)
	assert.LessOrEqual(t, bends, 104)
	assert.LessOrEqual(t, pixels, 23740)
}

func BenchmarkDraw(b *testing.B) {
	entries, err := library.All()
	require.NoError(b, err)
	for _, e := range entries {
		b.Run(e.Name, func(b *testing.B) {
			var s *sheet.Sheet
			for b.Loop() {
				s = sheet.Draw(e.Circuit)
			}
			b.ReportMetric(float64(len(s.Symbols)), "symbols")
			b.ReportMetric(float64(s.Crossings), "crossings")
			b.ReportMetric(float64(s.Bends), "bends")
			b.ReportMetric(float64(length(s)), "pixels")
		})
	}
}
