package jobs

import (
	"context"
	"errors"
	"fmt"
	"net"

	"ironthread/core/electric"
	"ironthread/scan"
	"ironthread/scan/describe"
	"ironthread/sim"
)

// A drill has a vehicle of its own to connect: a simulated one with the same thing hidden in it, which listens on this machine for
// as long as the drill is connected to it.

// connectDrill starts the vehicle of a drill as its ledger says, and connects to it.
func (a *Jobs) connectDrill(ctx context.Context, j *jobAt) (*scan.Watch, error) {
	faults, err := j.state.Drill.In(j.file.Drawn)
	if err != nil {
		return nil, err
	}
	v, err := sim.New(j.file.Model, sim.Options{Seed: j.state.Drill.Seed}, faults...)
	if err != nil {
		return nil, err
	}
	if err := setUpAs(v, j.state.Ledger); err != nil {
		return nil, err
	}
	for _, stands := range []string{"key on", "engine running"} {
		if err := v.Drive(stands); err != nil {
			return nil, err
		}
	}
	var config net.ListenConfig
	l, err := config.Listen(ctx, "tcp", "127.0.0.1:0")
	if err != nil {
		return nil, fmt.Errorf("the drill's vehicle cannot listen: %w", err)
	}
	data := describe.For(j.Sheet, j.file.Drawn)
	living, stop := context.WithCancel(context.WithoutCancel(ctx))
	go v.Run(living)
	go func() { _ = sim.NewServer(v, data).Serve(living, l, nil) }() // it ends with its link
	w, err := a.watches.BeginHere(ctx, j.ID, l.Addr().String(), data)
	if err != nil {
		stop()
		return nil, err
	}
	a.drilling.Store(j.ID, v)
	go func() {
		<-w.Done()
		stop()
		a.drilling.CompareAndDelete(j.ID, v)
	}()
	return w, nil
}

// drillCar is the vehicle that a drill is connected to; nil where it is not.
func (a *Jobs) drillCar(id int64) *sim.Vehicle {
	v, _ := a.drilling.Load(id)
	car, _ := v.(*sim.Vehicle)
	return car
}

// setUpAs brings a simulated vehicle into the set-up of a job's ledger. What stands for the engine is the vehicle's own affair.
func setUpAs(v *sim.Vehicle, ledger []electric.Action) error {
	_, rest := electric.Standing(ledger)
	if err := v.Reset(rest); err != nil {
		return errors.New("a vehicle cannot be set up as the ledger says")
	}
	return nil
}
