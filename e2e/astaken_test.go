package e2e

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/soak"
	"ironthread/store"
)

// A phone in one hand, the engine running: the state of the engine, the command table, volts at a pin, a fuse pulled and
// seen blown, its repair. Touches are counted.
func TestAtTheCarWithAPhone(t *testing.T) {
	soak.Only(t, "TestTouchesFromANewJobToTheVerdict")
	s := open(t)
	b := s.tabSized(t, 390, 844)
	ctx := context.Background()
	rig, err := s.keep.PutVehicle(ctx, "Test rig", "")
	require.NoError(t, err)
	h, err := s.keep.HarnessNamed(ctx, "f7-discrete-module")
	require.NoError(t, err)
	id, err := s.keep.OpenJob(ctx, store.NewJob{Vehicle: rig, Harness: h.ID, Title: "runs hot", Who: "Rurik Dahl", At: time.Now()})
	require.NoError(t, err)
	touches := 0
	touch := func(selector string) { b.click(selector); touches++ }

	b.visit(fmt.Sprintf("%s/jobs/%d", s.url, id))
	b.sees(".move h2", "First")
	b.accessible()
	// Four steps and off of two fans: the whole table in one pass.
	for state, words := range [][2]string{{"stopped", "stopped"}, {"slow", "slow"}, {"slow", "slow"}, {"slow", "slow"}} {
		for fan, word := range words {
			touch(fmt.Sprintf(`label[for="fan-%d-%d-%s"]`, state, fan, word))
		}
	}
	touch(".commandtable .btn-primary")
	b.sees(".thread", "step 3: M1 slow, M2 slow")
	assert.LessOrEqual(t, touches, 9, "four states of two fans")
	t.Logf("command table of 4 states and 2 fans: %d touches", touches)

	h, err = s.keep.HarnessNamed(ctx, "f3-twin-series-parallel")
	require.NoError(t, err)
	id, err = s.keep.OpenJob(ctx, store.NewJob{Vehicle: rig, Harness: h.ID, Title: "not cooling", Who: "Rurik Dahl", At: time.Now()})
	require.NoError(t, err)
	job := fmt.Sprintf("%s/jobs/%d", s.url, id)
	b.visit(job)
	b.click(`button[name="engine"][value="running"]`)
	b.sees(".bead.did", "engine running")
	for state, words := range [][2]string{{"stopped", "stopped"}, {"stopped", "stopped"}, {"fast", "fast"}} {
		for fan, word := range words {
			b.click(fmt.Sprintf(`label[for="fan-%d-%d-%s"]`, state, fan, word))
		}
	}
	b.click(".commandtable .btn-primary")
	b.sees(".thread", "high: M1 fast, M2 fast (engine running)")
	b.sees(".suspects", "F3 open")

	// Volts of one's own: a pin, the figure, Record.
	touches = 0
	b.visit(job + "?state=low")
	touch(`[data-pin="F3.a"]`)
	b.sees(".move h2", "Your choice")
	b.quiet()
	b.do(chromedp.Focus(chromedp.CSS(".reading"), chromedp.NodeVisible))
	b.keys("14.1\r") // the keyboard's own Enter records
	touches += 2
	b.sees(".thread", "14.1 V at F3.a (engine running)")
	assert.LessOrEqual(t, touches, 4)
	t.Logf("own volts at a pin: %d touches and the figure", touches)
	b.sees(".suspects", "F3 open")
	assert.NotContains(t, b.text(".move"), "contradicts")

	b.visit(job + "?do=looked&part=F3&state=low")
	b.click(`label:has(input[name="word"][value="blown"])`)
	b.sees(".verdict", "Verdict, proven")
	b.sees(".verdict .fault", "F3 open")
	b.sees(".verdict", "It fails for a reason")
	assert.Equal(t, "true", b.eval(`String(document.documentElement.scrollWidth <= 390)`))
	b.accessible()
}

// What is not electrical comes first, and what was done before the job is in its log.
func TestTheFirstPage(t *testing.T) {
	s := open(t)
	b := s.tabSized(t, 390, 844)
	b.visit(s.url + "/jobs/7/first")
	b.sees("h2", "Before a lead is laid")
	b.accessible()
	b.click(`label:has(input[name="coolant"][value="low"])`)
	b.click(`label:has(input[name="turned M1"][value="stuck"])`)
	b.fill("#done", "K1 cleaned")
	b.click("form.asked .btn-primary")
	b.sees(".thread", "Coolant, engine cold: low")
	b.sees(".thread", "M1 by hand: stuck")
	b.sees(".ledger", "K1 cleaned")
}
