package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/signal"
	"path/filepath"
	"strconv"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/demo"
	"ironthread/library"
	"ironthread/scan/describe"
	"ironthread/sim"
	"ironthread/store"
	"ironthread/store/localdb"
	"ironthread/web"
	"ironthread/web/jobs"
)

func demoCommand() *cobra.Command {
	var port int
	var dir string
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Serve the demo workshop on a database of its own",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if port < 1 || port > 65535 {
				return badInput("--port %d: a port lies between 1 and 65535", port)
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
			defer stop()
			return runDemo(ctx, cmd, dir, net.JoinHostPort("127.0.0.1", strconv.Itoa(port)))
		},
	}
	cmd.Flags().IntVar(&port, "port", 8080, "port on loopback")
	cmd.Flags().StringVar(&dir, "dir", ".demo", "folder of the demo's database")
	return cmd
}

func runDemo(ctx context.Context, cmd *cobra.Command, dir, listen string) (err error) {
	if dir, err = demoDir(dir); err != nil {
		return err
	}
	unlock, err := onlyOne(dir)
	if err != nil {
		return err
	}
	defer unlock()
	if l, err := net.Listen("tcp", listen); err != nil {
		return fmt.Errorf("%s is taken; try another: make demo PORT=9090", listen)
	} else if err := l.Close(); err != nil {
		return err
	}
	server, err := localdb.Start(ctx, localdb.Options{Dir: filepath.Join(dir, "db")})
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, server.Stop()) }()
	if err := server.EnsureDatabase(ctx, "ironthread"); err != nil {
		return err
	}
	keep, err := store.Open(ctx, server.DSN("ironthread"))
	if err != nil {
		return err
	}
	defer keep.Close()
	if err := demo.Load(ctx, keep, time.Now()); err != nil {
		return err
	}
	if err := demo.Pages(filepath.Join(dir, "pages")); err != nil {
		return err
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	known, wait, err := simulateSome(ctx)
	if err != nil {
		return err
	}
	defer wait()
	defer stop()
	return serve(ctx, cmd, keep, &door{listen: listen}, web.Options{Workshop: demo.Workshop, Simulated: known, Loopback: true})
}

// demoDir makes the folder absolute; where the database's own user could not read it, a
// folder under /var/lib is used instead.
func demoDir(dir string) (string, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	if !localdb.Readable(dir) {
		dir = "/var/lib/ironthread-demo"
	}
	return dir, os.MkdirAll(dir, 0o755)
}

// onlyOne holds a lock while the demo runs on this folder.
func onlyOne(dir string) (unlock func(), err error) {
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, errors.New("the demo is running already from this folder; stop it first, or look at its address")
	}
	return func() { f.Close() }, nil
}

// simulated are the vehicles that answer in the demo: one with what its open job looks for, and one with nothing wrong.
var simulated = []struct{ name, circuit, fault string }{
	{"Gritter 6", "f3-twin-series-parallel", "F3 open"}, {"Library bus", "m1-bus-mixture", ""},
}

// simulatedTimes is how fast their clock runs: a warm-up takes a minute or two.
const simulatedTimes = 8

// simulateSome starts them on ports that are free; wait returns once they have ended with the context.
func simulateSome(ctx context.Context) (known []jobs.Known, wait func(), err error) {
	var open errgroup.Group
	for _, x := range simulated {
		e, err := library.Open(x.circuit)
		if err != nil {
			return nil, nil, err
		}
		m, err := electric.New(e.Circuit)
		if err != nil {
			return nil, nil, err
		}
		var faults []fault.Fault
		if x.fault != "" {
			f, err := fault.Parse(e.Circuit, x.fault)
			if err != nil {
				return nil, nil, err
			}
			faults = append(faults, f)
		}
		v, err := sim.New(m, sim.Options{Seed: 7, Times: simulatedTimes}, faults...)
		if err != nil {
			return nil, nil, err
		}
		ready := make(chan []jobs.Known, 1)
		failed := make(chan error, 1)
		open.Go(func() error {
			at := listening{address: "127.0.0.1:0", meter: "127.0.0.1:0", bus: "127.0.0.1:0", truck: true}
			err := simulate(ctx, v, describe.For(x.circuit, e.Circuit), at, func(vehicle, meter, bus string) {
				ready <- []jobs.Known{{Name: x.name, Harness: x.circuit, Address: vehicle, Meter: meter},
					{Name: x.name + ", what it sends by itself (J1939)", Harness: x.circuit, Address: "socketcand://" + bus + "/can0"}}
			})
			failed <- err
			return err
		})
		select {
		case k := <-ready:
			known = append(known, k...)
		case err := <-failed:
			return nil, nil, err
		}
	}
	return known, func() { _ = open.Wait() }, nil // they end with the demo
}
