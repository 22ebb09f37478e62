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

	"ironthread/demo"
	"ironthread/store"
	"ironthread/store/localdb"
	"ironthread/web"
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
	return serve(ctx, cmd, keep, listen, web.Options{Workshop: demo.Workshop})
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
