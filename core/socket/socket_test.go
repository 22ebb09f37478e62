package socket_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/socket"
	"ironthread/library"
)

const boxed = `harness: 1
boxes: {bonnet box: {rows: 3, columns: 4, landmarks: [battery side]}}
parts:
  B: {kind: battery}
  K1: {kind: relay, contacts: changeover, at: bonnet box B2}
  K2: {kind: relay, contacts: make, at: bonnet box C4, pins: {"86": "1", "85": "2", "30": "3", "87": "5"}}
  K3: {kind: relay, contacts: make, at: bonnet box A1, arrangement: [30 87, 86 85]}
  K4: {kind: relay, contacts: double-changeover}
  F1: {kind: fuse, amps: 5, at: dash left}
states: {off: {}}
`

func circuit(t *testing.T) *harness.Circuit {
	t.Helper()
	c, err := harness.Read([]byte(boxed))
	require.NoError(t, err)
	return c
}

// seen writes a card as rows of numbers.
func seen(t *testing.T, c *harness.Circuit, part string, v socket.View) string {
	t.Helper()
	card, err := socket.Lay(c.Part(part), v)
	require.NoError(t, err)
	grid := make([][]string, card.Rows)
	for r := range grid {
		grid[r] = strings.Split(strings.Repeat("_ ", card.Columns-1)+"_", " ")
	}
	for _, cavity := range card.Cavities {
		grid[cavity.Row][cavity.Column] = cavity.Number
	}
	var rows []string
	for _, r := range grid {
		rows = append(rows, strings.Join(r, " "))
	}
	return strings.Join(rows, " / ")
}

// What is printed on the underside is mirrored in the socket (common practice: relays read
// upside down are the classic error).
func TestViews(t *testing.T) {
	c := circuit(t)
	for _, row := range []struct {
		part string
		view socket.View
		want string
	}{
		{"K1", socket.View{Under: true}, "_ 87 _ / 86 87a 85 / _ 30 _"},
		{"K1", socket.View{}, "_ 87 _ / 85 87a 86 / _ 30 _"},
		{"K1", socket.View{Under: true, Turn: 1}, "_ 86 _ / 30 87a 87 / _ 85 _"},
		{"K1", socket.View{Turn: 2}, "_ 30 _ / 86 87a 85 / _ 87 _"},
		{"K1", socket.View{Turn: 3}, "_ 86 _ / 87 87a 30 / _ 85 _"},
		{"K1", socket.View{Turn: -1}, "_ 86 _ / 87 87a 30 / _ 85 _"},
		{"K2", socket.View{Under: true}, "_ 5 _ / 1 _ 2 / _ 3 _"},
		{"K3", socket.View{Under: true}, "30 87 / 86 85"},
		{"K3", socket.View{Turn: 1}, "85 87 / 86 30"},
		{"K4", socket.View{Turn: 1}, "85 30b 87ab 87b / _ _ _ _ / 86 30 87a 87"},
		{"F1", socket.View{}, "a / b"},
		{"F1", socket.View{Turn: 1}, "b a"},
	} {
		assert.Equal(t, row.want, seen(t, c, row.part, row.view), "%s %+v", row.part, row.view)
	}
	_, err := socket.Lay(c.Part("B"), socket.View{})
	assert.ErrorContains(t, err, "B is a battery: only relays and fuses sit in sockets")
}

// Four quarter turns come back; two mirrors come back; no cavity is lost on the way.
func TestTurnsOfEveryLibraryRelay(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		for _, p := range append(e.Circuit.OfKind(harness.KindRelay), e.Circuit.OfKind(harness.KindFuse)...) {
			for turn := range 4 {
				card, err := socket.Lay(p, socket.View{Turn: turn})
				require.NoError(t, err)
				assert.Len(t, card.Cavities, len(p.Pins()), "%s %s", e.Name, p.Name)
				places := map[string]bool{}
				for _, c := range card.Cavities {
					places[fmt.Sprint(c.Row, c.Column)] = true
					assert.True(t, c.Row < card.Rows && c.Column < card.Columns)
				}
				assert.Len(t, places, len(card.Cavities), "each in its own place")
			}
			assert.Equal(t, seen(t, e.Circuit, p.Name, socket.View{Turn: 1}), seen(t, e.Circuit, p.Name, socket.View{Turn: 5}))
		}
	}
}

func TestBoxes(t *testing.T) {
	list := socket.Boxes(circuit(t))
	require.Len(t, list, 3)
	box := list[0]
	assert.Equal(t, "bonnet box", box.Name)
	assert.Equal(t, [2]int{3, 4}, [2]int{box.Rows, box.Columns})
	assert.Equal(t, []string{"battery side"}, box.Landmarks)
	require.Len(t, box.Placed, 3)
	assert.Equal(t, [2]int{1, 1}, [2]int{box.Placed[0].Row, box.Placed[0].Column})
	assert.Equal(t, "dash", list[2].Name)
	assert.Equal(t, "F1", list[2].Loose[0].Name, "left is no row and column")
	assert.Equal(t, "somewhere", list[1].Name)
}

func TestAnArrangementIsChecked(t *testing.T) {
	for _, bad := range []string{"[30 87, 86 86]", "[30 87 86]", "[30 87, 86 99]"} {
		_, err := harness.Read([]byte(strings.Replace(boxed, "[30 87, 86 85]", bad, 1)))
		assert.ErrorContains(t, err, "arrangement", bad)
	}
}
