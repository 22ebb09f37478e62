package main

import (
	"context"
	"fmt"
	"net"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/scan/describe"
	"ironthread/sim"
)

// simCommand runs a simulated vehicle and a simulated meter until it is interrupted.
func simCommand() *cobra.Command {
	var faults []string
	var seed uint64
	var times float64
	var address, meter string
	var bus string
	var hide, running, truck bool
	var manner sim.Manner
	cmd := &cobra.Command{
		Use:   "sim FILE",
		Short: "A simulated vehicle (diagnostics over IP) and meter (SCPI) with this harness and these faults",
		Args:  oneFile,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := readCircuit(cmd, args[0])
			if err != nil {
				return badInput("%v", err)
			}
			m, err := electric.New(c)
			if err != nil {
				return badInput("%v", err)
			}
			var list []fault.Fault
			for _, words := range faults {
				f, err := fault.Parse(c, words)
				if err != nil {
					return badInput("%v", err)
				}
				list = append(list, f)
			}
			if !(times > 0 && times <= 600) {
				return badInput("--times is how fast its clock runs, from just above 0 to 600")
			}
			v, err := sim.New(m, sim.Options{Seed: seed, Times: times}, list...)
			if err != nil {
				return badInput("%v", err)
			}
			if running {
				if err := v.Drive("engine running"); err != nil {
					return err
				}
			}
			name := strings.TrimSuffix(filepath.Base(args[0]), ".harness.yaml")
			out := cmd.OutOrStdout()
			if len(list) > 0 && !hide {
				fmt.Fprintf(out, "hidden in it: %s\n", strings.Join(faults, ", "))
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			if manner.Lossy < 0 || manner.Lossy == 1 {
				return badInput("--lossy N loses one answer in N, from 2 on")
			}
			if truck && bus == "" {
				return badInput("--j1939 says what is sent on the bus: give --can too")
			}
			return simulate(ctx, v, describe.For(name, c), listening{address, meter, bus, truck, manner}, func(vehicle, meter, bus string) {
				fmt.Fprintf(out, "%s: vehicle at %s (TCP and UDP), meter at %s\n", c.Title, vehicle, meter)
				if bus != "" {
					fmt.Fprintf(out, "its CAN bus: socketcand://%s/can0\n", bus)
				}
			})
		},
	}
	cmd.Flags().StringArrayVar(&faults, "fault", nil, "a fault in it, as in \"F3 open\"; may be given several times")
	cmd.Flags().Uint64Var(&seed, "seed", 0, "of its tolerances and its meter's leads; 0: as drawn")
	cmd.Flags().Float64Var(&times, "times", 1, "how fast its clock runs")
	cmd.Flags().StringVar(&address, "doip", "127.0.0.1:13400", "where the vehicle answers")
	cmd.Flags().StringVar(&meter, "meter", "127.0.0.1:5025", "where the meter answers")
	cmd.Flags().StringVar(&bus, "can", "", "where its CAN bus is handed on, such as 127.0.0.1:29536; without it there is none")
	cmd.Flags().BoolVar(&truck, "j1939", false, "on that bus it speaks as a truck does, and answers nothing")
	cmd.Flags().BoolVar(&manner.Slow, "slow", false, "it says that it is still at work before each answer")
	cmd.Flags().BoolVar(&manner.Busy, "busy", false, "it asks to be asked again, each third request")
	cmd.Flags().IntVar(&manner.Lossy, "lossy", 0, "one answer in so many is lost; 0: none")
	cmd.Flags().BoolVar(&hide, "hide", false, "do not say what is hidden in it")
	cmd.Flags().BoolVar(&running, "running", false, "with the engine running from the start")
	return cmd
}

// listening is where a vehicle answers, its meter, and its CAN bus where it has one.
type listening struct {
	address, meter, bus string
	truck               bool
	manner              sim.Manner
}

// simulate serves a vehicle and its meter until the context ends. Only loopback is listened on: the protocols have no
// password.
func simulate(ctx context.Context, v *sim.Vehicle, data *describe.Vehicle, at listening, ready func(vehicle, meter, bus string)) error {
	all := []string{at.address, at.meter}
	if at.bus != "" {
		all = append(all, at.bus)
	}
	for _, a := range all {
		host, _, err := net.SplitHostPort(a)
		if ip := net.ParseIP(host); err != nil || ip == nil || !ip.IsLoopback() {
			return badInput("%q is no address on this machine; the protocols have no password, so that only 127.0.0.1 is listened on", a)
		}
	}
	var l net.ListenConfig
	tcp, err := l.Listen(ctx, "tcp", at.address)
	if err != nil {
		return badInput("the vehicle cannot listen at %s: %v", at.address, err)
	}
	defer tcp.Close() // Serve has closed it
	packets, err := l.ListenPacket(ctx, "udp", tcp.Addr().String())
	if err != nil {
		return badInput("the vehicle cannot listen at %s: %v", tcp.Addr(), err)
	}
	defer packets.Close() // Serve has closed it
	instrument, err := l.Listen(ctx, "tcp", at.meter)
	if err != nil {
		return badInput("the meter cannot listen at %s: %v", at.meter, err)
	}
	defer instrument.Close() // Serve has closed it
	server, onBus := sim.NewServer(v, data), ""
	server.Manner = at.manner
	group, ctx := errgroup.WithContext(ctx)
	if at.bus != "" {
		handed, err := l.Listen(ctx, "tcp", at.bus)
		if err != nil {
			return badInput("the CAN bus cannot be handed on at %s: %v", at.bus, err)
		}
		onBus = handed.Addr().String()
		group.Go(func() error { return server.ServeCAN(ctx, handed, at.truck) })
	}
	ready(tcp.Addr().String(), instrument.Addr().String(), onBus)
	group.Go(func() error { v.Run(ctx); return nil })
	group.Go(func() error { return server.Serve(ctx, tcp, packets) })
	group.Go(func() error { return sim.NewMeter(v).Serve(ctx, instrument) })
	return group.Wait()
}
