package circuits

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/web/room"
)

// kindsPage says of every kind of part what it is to whoever draws it, works at it and renews it.
type kindsPage struct {
	room.Frame
	Kinds []kindLine
}

type kindLine struct {
	Kind, Off, Usual string
	Looks, Fails     string
}

// offWords say how a part comes off.
var offWords = map[harness.Removal]string{harness.PulledOut: "pulled", harness.Unplugged: "unplugged", harness.TakenOff: "taken apart",
	"": "stays"}

func (a *Circuits) kinds(c *gin.Context) {
	p := kindsPage{Frame: a.Frame(c, "Kinds of part", "library")}
	for _, kind := range harness.Kinds() {
		t := kind.Traits()
		p.Kinds = append(p.Kinds, kindLine{string(kind), offWords[t.Off], t.Usual, strings.Join(t.LooksOf(), ", "),
			strings.Join(fault.WordsOf(kind), ", ")})
	}
	a.Render(c, http.StatusOK, "kinds.html", p)
}
