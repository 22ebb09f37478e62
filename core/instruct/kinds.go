package instruct

import (
	"fmt"
	"strings"

	"ironthread/core/harness"
)

// What a kind of question is told with: the writer is the [probe.Teller] of every kind. What each kind says stands with the kind.

// Title says what the test is.
func (w *writer) Title(format string, args ...any) { w.card.Title = fmt.Sprintf(format, args...) }

// Step adds steps.
func (w *writer) Step(words ...string) { w.step(words...) }

// Caution adds cautions.
func (w *writer) Caution(words ...string) { w.caution(words...) }

// Circuit is the circuit on the car.
func (w *writer) Circuit() *harness.Circuit { return w.circuit }

// Asked is the state in words, as titles say it.
func (w *writer) Asked() string { return w.asked }

// With is what is special about the set-up, as titles say it.
func (w *writer) With() string { return w.lookWith(w.test.Setup) }

// InCommand tells whether the fans may run, by a command or by themselves.
func (w *writer) InCommand() bool {
	return strings.HasPrefix(w.asked, w.test.State.Name+" commanded") || !w.commands()
}

// Place is where a part is, in brackets.
func (w *writer) Place(part string) string { return w.place(part) }

// Where tells where a lead goes.
func (w *writer) Where(pin harness.Pin) string { return w.where(pin) }

// Side names a pin and the part that it faces.
func (w *writer) Side(pin harness.Pin) string { return w.side(pin) }

// called and terminal are how pins are called by who stands at the car.
func (w *writer) called(pin harness.Pin) string   { return w.circuit.Called(pin) }
func (w *writer) terminal(pin harness.Pin) string { return w.circuit.Terminal(pin) }
