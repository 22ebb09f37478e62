package jobs

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"ironthread/web/room"
)

// Whoever is here for the first time is led through a whole job: one line where each step is made says what it is for. It is gone for
// good with one touch, and kept at the person's browser.

const ledCookie = "led"

// led tells whether the person at this browser is still led.
func led(c *gin.Context) bool {
	v, err := c.Cookie(ledCookie)
	return err != nil || v != "no"
}

// ledNoMore ends it.
func (a *Jobs) ledNoMore(c *gin.Context) {
	room.Keep(c, ledCookie, "no")
	c.Redirect(http.StatusSeeOther, room.BackTo(c.PostForm("back")))
}

// ledAt is the line of the step that a job is at.
func (p *jobPage) ledAt(j *jobAt) string {
	own := ""
	if j.state.Drill != nil {
		own = " This car is simulated: each answer can be taken from it."
	}
	switch {
	case j.state.Closed:
		return "That was a whole job. Its report has a page for the owner and the log for the next who has it."
	case p.Mended:
		return "Step 5 of 5. Every state has been seen since the repair: verify, and close the job."
	case len(j.state.Repairs) > 0:
		return "Step 5 of 5. After a repair every state is looked at again, so that it is proven and not only believed." + own
	case p.Verdict != nil && p.Verdict.Proven:
		return "Step 4 of 5. The verdict is proven by what was measured. Mend it, then record here what was done."
	case p.Verdict != nil:
		return "Step 3 of 5. One fault is nearly certain. What is still to be measured makes sure that no other explains the same." + own
	case !j.looked():
		return "Step 1 of 5. Command each state, touch what each fan did, then record the pass. It tells the most, and costs no tools." + own
	}
	return "Step 2 of 5. This is the test that tells the most for its minutes. Lay the leads as it says, type what the meter shows, and " +
		"record it. The circuit shows what it leaves." + own
}
