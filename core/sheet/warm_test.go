package sheet_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/sheet"
	"ironthread/library"
	"ironthread/soak"
)

// again gives a circuit the places of a drawing, as a file that keeps them would.
func again(t *testing.T, c *harness.Circuit, s *sheet.Sheet) *harness.Circuit {
	t.Helper()
	copied := *c
	copied.Places = nil
	for i := range s.Places {
		copied.Places = append(copied.Places, &s.Places[i])
	}
	text, err := harness.Write(&copied)
	require.NoError(t, err)
	read, err := harness.Read(text)
	require.NoError(t, err)
	return read
}

// movedParts counts what stands elsewhere, taking a shift of the whole drawing as none.
func movedParts(before, after *sheet.Sheet) int {
	shifts := map[[2]int]int{}
	at := map[string]harness.Place{}
	for _, p := range before.Places {
		at[p.Name()] = p
	}
	known := 0
	for _, p := range after.Places {
		if was, ok := at[p.Name()]; ok {
			shifts[[2]int{p.X - was.X, p.Row - was.Row}]++
			known++
		}
	}
	most := 0
	for _, n := range shifts {
		most = max(most, n)
	}
	return known - most
}

// An edit of one wire leaves the drawing nearly as it was, and stays sound.
func TestAnEditMovesLittle(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	drawn := sheets(t)
	for _, e := range soak.Of(entries[4:8], entries) {
		t.Run(e.Name, func(t *testing.T) {
			first := drawn[e.Name]
			same := sheet.Draw(again(t, e.Circuit, first))
			assert.Zero(t, movedParts(first, same), "nothing edited, nothing moved")
			for _, k := range []int{0, len(e.Circuit.Wires) / 2, len(e.Circuit.Wires) - 1} {
				edited := again(t, e.Circuit, first)
				w := edited.Wires[k]
				edited.Wires = append(edited.Wires[:k:k], edited.Wires[k+1:]...)
				s := sheet.Draw(edited)
				moved := movedParts(first, s)
				assert.LessOrEqual(t, moved, 3, "without wire %s", w)
				assert.Empty(t, s.Unrouted)
				orthogonal(t, s)
				clearOfParts(t, s)
				ownLines(t, s)
			}
		})
	}
}

// A part put somewhere by hand stays there, whatever else is edited.
func TestAPartStaysWhereItWasPut(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	first := sheet.Draw(e.Circuit)
	places, ok := first.Put("K2", 0, 14*sheet.Unit, 0)
	require.True(t, ok)
	put := *first
	put.Places = places
	s := sheet.Draw(again(t, e.Circuit, &put))
	assert.Empty(t, s.Unrouted)
	ownLines(t, s)
	want, got := place(places, "K2"), place(s.Places, "K2")
	assert.Equal(t, [3]int{want.X, want.Row, 1}, [3]int{got.X, got.Row, boolInt(got.Put)})
	assert.Equal(t, place(first.Places, "K2").X+14, got.X)
	_, ok = first.Put("K9", 0, 0, 0)
	assert.False(t, ok)
	below, ok := first.Put("K2", 0, 0, 2000)
	require.True(t, ok)
	assert.Greater(t, place(below, "K2").Row, place(first.Places, "K2").Row, "far below is a new row")
	assert.Zero(t, func() int { p, _ := first.Put("K2", 0, 0, -5000); return place(p, "K2").Row }())
}

// A part that is new stands beside what it is wired to.
func TestANewPartIsDrawnIn(t *testing.T) {
	e, err := library.Open("f1-one-relay")
	require.NoError(t, err)
	first := sheet.Draw(e.Circuit)
	edited := again(t, e.Circuit, first)
	fan := edited.Fans()[0]
	text, err := harness.Write(edited)
	require.NoError(t, err)
	c, err := harness.Read(text)
	require.NoError(t, err)
	lamp, err := harness.Read([]byte("harness: 1\nparts: {B: {kind: battery}, L9: {kind: lamp, volts: 12, watts: 5}}\nstates: {off: {}}\n"))
	require.NoError(t, err)
	c.Parts = append(c.Parts, lamp.Part("L9"))
	c.Wires = append(c.Wires, &harness.Wire{From: fan.Pins()[0], To: harness.ParsePin("L9.a"), Parallel: 1},
		&harness.Wire{From: harness.ParsePin("L9.b"), To: fan.Pins()[1], Parallel: 1})
	s := sheet.Draw(c)
	assert.Empty(t, s.Unrouted)
	clearOfParts(t, s)
	assert.LessOrEqual(t, movedParts(first, s), 3)
}

func place(list []harness.Place, part string) harness.Place {
	for _, p := range list {
		if p.Part == part {
			return p
		}
	}
	return harness.Place{}
}

func boolInt(b bool) int {
	if b {
		return 1
	}
	return 0
}
