package jobs

import (
	"net/http"
	"net/url"
	"strconv"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/core/trace"
	"ironthread/store"
	"ironthread/web/drawing"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// What a job's own page shows, and what its address asks for.

// jobPage is the thread, the sheet and the next move of one job.
type jobPage struct {
	jobSide
	Beads []job.Bead

	States    []room.Button
	Shown     string // the state the sheet shows
	View      string // "should" or "suspect"
	Suspect   string // whose view the second is
	ViewURL   string
	Setup     []string
	Ledger    []string // the set-up without what the engine does
	Said      string   // what was typed, where it could not be read
	Engine    string   // what it does, as entered
	Engines   []string
	Stands    []string // what else is said of how the vehicle stands
	Settable  []string // set-up actions offered
	Paper     *worked.Paper
	Drawn     string          // names the drawing; the same name, the same drawing
	PaperURL  string          // where it is to be had by itself
	SamePaper bool            // the page has it already
	Crop      drawing.Picture // the next move's place on its page
	HasPages  bool            // the circuit has pages, and Printed says that they are shown
	Printed   bool
	Warnings  []string

	Led       string        // the line for whoever is here for the first time
	Table     *commandTable // every state commanded, in the place of one move
	Card      *card
	Lately    []string    // the places that were measured last
	Round     *round      // its terminals, one after the other
	Place     *placeCard  // what can be done at the place that was touched, instead of one move
	Here      []placeTest // the instruments that can be laid where the chosen test is
	Ends      []placeTest // the other ends that ohms from there can be read to
	OtherEnd  string      // the address of that, the pin to be appended
	Back      string      // the job's page that recording leads back to, empty: this one
	Others    []otherMove
	Before    []store.Line // earlier jobs of this vehicle
	Newer     *newer       // a newer revision of the harness that the job could go by
	Verdict   *diagnose.Verdict
	Causes    []string // to be looked into before what the verdict names is renewed
	Truths    []trace.Truth
	Looked    []string // states in which fans were looked at
	Repairs   []string // set-up actions that enter the repair of the verdict
	Mended    bool     // after a repair, every state is as it should be
	MendedBy  *diagnose.Mended
	Also      []diagnose.Found // defects beside the verdict
	Nothing   bool             // every state was seen, and nothing found
	Pairs     []diagnose.Pair
	Suspects  []diagnose.Standing
	Hidden    int // suspects not listed
	Cleared   string
	Surprises []string
	Metered   bool   // a meter is connected: fields can be filled from it
	Nulled    bool   // the meter's leads were, at the last ohms of this job
	Leads     string // what they read held together, then; kept for the job
	Socket    string // the address of the socket card the next move is at
}

type otherMove struct {
	Title   string
	Minutes float64
	URL     string
}

// card is the move that the right column shows and records.
type card struct {
	diagnose.Move
	Heading string // "Next move", "Proof still lacking", "Your choice"
	Mine    bool   // chosen by the technician
	Fans    []fanInput
	Typed   string   // what is typed as the answer: codes; empty where it is no such answer
	Example string   // of it
	Answers []string // words of an answer that is no figure
	Unit    *probe.Unit
	Ohms    bool     // what the leads add may be in the figure
	Changes []string // what recording enters in the ledger
	After   []string // the whole set-up then
}

type fanInput struct {
	Name, Label string
	Words       []string
}

// jobRequest is what the address of a job's page says.
type jobRequest struct {
	state, view string
	own         url.Values // a test of one's own: look, do, pin, from, part
	move        int
	round       string // the part whose terminals are gone round
	place       string // the part whose tests are asked for
	table       bool   // the command table
	back        string // the job's page that recording leads back to
	notice      string
	bad         bool
	status      int
}

func readJobRequest(c *gin.Context) jobRequest {
	r := jobRequest{
		state: c.Query("state"), view: c.Query("view"), own: url.Values{}, status: http.StatusOK,
	}
	for _, key := range []string{"look", "do", "pin", "from", "part", "as", "setup", "with", "bench", "between", "energised"} {
		for _, v := range c.QueryArray(key) {
			if v != "" {
				r.own.Add(key, v)
			}
		}
	}
	r.round = room.Clip(c.Query("round"), room.MaxText)
	r.place = room.Clip(c.Query("place"), room.MaxText)
	r.table = c.Query("table") != ""
	r.move, _ = strconv.Atoi(c.Query("move")) // anything else is the first
	if back := c.Query("back"); back == "verify" {
		r.back = back
	}
	r.notice = noticeOf(c)
	return r
}
