package study_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/probe"
	"ironthread/library"
)

// A part in the hand is asked of however the car stands: with another part fed by a battery pack, with a relay bridged. Each such
// question can be told and answered as it is spelled in the log.
func TestABenchQuestionIsSpelledAsItIsAsked(t *testing.T) {
	entries, err := library.All()
	require.NoError(t, err)
	for _, e := range entries {
		var now []electric.Action
		for _, p := range e.Circuit.Fans() {
			for _, made := range probe.Around(e.Circuit, nil, p) {
				if len(made.Setup) > len(now) {
					now = made.Setup
				}
			}
		}
		for _, p := range e.Circuit.Parts {
			for _, made := range probe.Around(e.Circuit, now, p) {
				o := made.Question()
				told, err := o.Test(e.Circuit)
				require.NoError(t, err, "%s: %s of %s with %v", e.Name, made.Do, p.Name, o.Setup)
				require.Equal(t, made.Key(), told.Key())
			}
		}
	}
}
