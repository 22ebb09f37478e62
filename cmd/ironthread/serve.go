package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"ironthread/core/predict"
	"ironthread/demo"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/people"
)

const (
	defaultListen = "127.0.0.1:8080"
	shutdownIn    = 10 * time.Second
	leastMemory   = 32 // MB
)

func serveCommand() *cobra.Command {
	var keys []string
	var dsn, workshop, metrics, logs string
	var loopback bool
	d := &door{}
	var memory int
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Serve the web application on a database that is there",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			dsn, err := needed(dsn)
			if err != nil {
				return err
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
			defer stop()
			keep, err := store.Open(ctx, dsn)
			if err != nil {
				return err
			}
			defer keep.Close()
			if err := demo.Library(ctx, keep); err != nil {
				return err
			}
			if memory < leastMemory {
				return badInput("--memory %d: at least %d MB are needed", memory, leastMemory)
			}
			log, err := logger(cmd.ErrOrStderr(), logs)
			if err != nil {
				return err
			}
			options := web.Options{Workshop: workshop, Bytes: int64(memory) << 20, Log: log, Requests: true, Loopback: loopback}
			if options.KeyPrograms, err = keyPrograms(keys); err != nil {
				return err
			}
			if metrics != "" {
				options.Metrics = web.NewMetrics(keep)
				stop, err := serveMetrics(metrics, options.Metrics)
				if err != nil {
					return err
				}
				defer stop()
			}
			return serve(ctx, cmd, keep, d, options)
		},
	}
	cmd.Flags().StringVar(&d.listen, "listen", defaultListen, "address to listen on; on any but loopback people sign in, over TLS")
	cmd.Flags().BoolVar(&d.accounts, "accounts", false, "people sign in on loopback, too")
	cmd.Flags().StringSliceVar(&d.names, "name", nil, "name or address that others use, the first for the QR code; else this machine's own")
	cmd.Flags().StringVar(&d.cert, "tls-cert", "", "certificate, PEM; one is made at the first start where none is given")
	cmd.Flags().StringVar(&d.key, "tls-key", "", "its key, PEM")
	cmd.Flags().StringVar(&d.state, "state", "", "folder for the certificate made here")
	cmd.Flags().StringSliceVar(&d.proxies, "proxy", nil, "address of a reverse proxy that ends TLS and is believed about who asks")
	cmd.Flags().BoolVar(&loopback, "allow-loopback", false, "a vehicle or a meter may be on this machine itself: a simulated one")
	cmd.Flags().StringArrayVar(&keys, "key-program", nil, "NAME=PATH: the program that makes the key of this name for outputs that ask for "+
		"one")
	cmd.Flags().StringVar(&dsn, "dsn", "", "address of the PostgreSQL database")
	cmd.Flags().StringVar(&metrics, "metrics", "", "address on which Prometheus may ask for figures, such as 127.0.0.1:9464; none else")
	cmd.Flags().StringVar(&logs, "log", "text", "how the log is written: text or json")
	cmd.Flags().StringVar(&workshop, "workshop", "Workshop", "the workshop's name")
	cmd.Flags().IntVar(&memory, "memory", predict.DefaultBytes>>20, "MB that may be kept of what is foretold for all circuits together")
	return configured(cmd)
}

// logger writes the log as text for people or as JSON for programs.
func logger(out io.Writer, as string) (*slog.Logger, error) {
	switch as {
	case "text":
		return slog.New(slog.NewTextHandler(out, nil)), nil
	case "json":
		return slog.New(slog.NewJSONHandler(out, nil)), nil
	}
	return nil, badInput("--log %q: text or json", as)
}

// serveMetrics answers Prometheus on an address of its own.
func serveMetrics(listen string, m *web.Metrics) (stop func(), err error) {
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return nil, badInput("--metrics: %w", err)
	}
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", m.Handler())
	server := &http.Server{Handler: mux, ReadHeaderTimeout: 5 * time.Second, ReadTimeout: 10 * time.Second, WriteTimeout: 20 * time.Second}
	go func() { _ = server.Serve(l) }() // it ends with stop
	return func() { _ = server.Close() }, nil
}

// serve runs the application until the context ends, then stops it cleanly.
func serve(ctx context.Context, cmd *cobra.Command, keep *store.Store, d *door, options web.Options) error {
	if err := d.open(); err != nil {
		return err
	}
	if options.Log == nil {
		options.Log = slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), nil))
	}
	options.Hosts, options.Address, options.Fingerprint, options.Proxies = d.names, d.address(), d.fingerprint, d.proxies
	options.Secure = options.Address != ""
	code := ""
	if d.accounts {
		accounts, first, err := people.NewAccounts(ctx, keep, keep, options.Secure)
		if err != nil {
			return err
		}
		defer accounts.Close()
		options.Accounts, code = accounts, first
	}
	app, err := web.New(keep, options)
	if err != nil {
		return err
	}
	defer app.Close()
	l, err := net.Listen("tcp", d.listen)
	if err != nil {
		if errors.Is(err, syscall.EADDRINUSE) {
			return fmt.Errorf("%s is taken; choose another port", d.listen)
		}
		return err
	}
	server := app.Server(d.listen)
	scheme := "http"
	if d.certificate != nil {
		scheme = "https"
		server.TLSConfig = &tls.Config{Certificates: []tls.Certificate{*d.certificate}, MinVersion: tls.VersionTLS12}
	}
	ended := make(chan error, 1)
	go func() {
		if server.TLSConfig != nil {
			ended <- server.ServeTLS(l, "", "")
			return
		}
		ended <- server.Serve(l)
	}()
	go app.Warm(ctx)
	go app.Listen(ctx)
	go app.Housekeep(ctx)
	var told strings.Builder // written at once, so that whoever waits for the address has the fingerprint and the code with it
	fmt.Fprintf(&told, "Iron Thread is at %s://%s\n", scheme, l.Addr())
	d.announce(&told, code)
	if _, err := io.WriteString(cmd.OutOrStdout(), told.String()); err != nil {
		return err
	}
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	closing, cancel := context.WithTimeout(context.Background(), shutdownIn)
	defer cancel()
	if err := server.Shutdown(closing); err != nil && !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}
