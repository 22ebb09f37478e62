package jobs

import (
	"fmt"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"ironthread/core/job"
)

// What was recorded with one touch is said under the thumb for a few seconds, with one touch that takes it all back: whoever
// wears gloves touches the wrong word now and then. The page that follows an entry is told by its address which entries those
// were; once another one has been written it says nothing.

// undoable are the kinds of entries that are taken back by striking them out.
var undoable = []job.Kind{job.Seen, job.Did, job.Undid, job.Checked, job.Noted, job.Repaired}

// didOf names the entries that are written after the last one of a log; empty where there is nothing to be taken back.
func didOf(last int, entries []job.Entry) string {
	if len(entries) == 0 || slices.ContainsFunc(entries, func(e job.Entry) bool { return !slices.Contains(undoable, e.Kind()) }) {
		return ""
	}
	return fmt.Sprintf("%d-%d", last+1, last+len(entries))
}

// did is what has just been recorded.
type did struct {
	Title string
	More  int
	Range string // the entries, "12-13"
}

// seqsOf reads which entries are to be struck out: "12", or "12-13" for all of those that one touch has written.
func seqsOf(words string) []int {
	var from, to int
	if n, err := fmt.Sscanf(words, "%d-%d", &from, &to); n != 2 || err != nil {
		from, _ = strconv.Atoi(words) // zero names none
		return []int{from}
	}
	var list []int
	for seq := from; seq <= to && len(list) < mostStruck; seq++ {
		list = append(list, seq)
	}
	return list
}

// justDid is what the page's address says has just been recorded, while it is the last of the log and stands; nil else.
func justDid(c *gin.Context, j *jobAt) *did {
	var from, to int
	if n, err := fmt.Sscanf(c.Query("did"), "%d-%d", &from, &to); n != 2 || err != nil || from < 1 || to != j.state.Last || j.state.Closed {
		return nil
	}
	d, stand := &did{Range: fmt.Sprintf("%d-%d", from, to)}, 0
	for _, b := range j.state.Beads {
		if b.Seq < from || b.Seq > to || b.StruckOut {
			continue
		}
		stand++
		if d.Title == "" || b.Kind() == job.Seen { // what was seen says more than what it says of the set-up
			d.Title = b.Title
		}
	}
	if d.More = stand - 1; d.More < 0 {
		return nil
	}
	return d
}
