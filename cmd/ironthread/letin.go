package main

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"ironthread/store"
	"ironthread/web/people"
)

// letInFor bounds giving somebody another passphrase.
const letInFor = 30 * time.Second

func letInCommand() *cobra.Command {
	var dsn string
	cmd := &cobra.Command{
		Use:   "let-in NAME",
		Short: "Give somebody another passphrase who has lost theirs, or the phone of their second step",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			address, err := needed(dsn)
			if err != nil {
				return err
			}
			ctx, cancel := context.WithTimeout(cmd.Context(), letInFor)
			defer cancel()
			keep, err := store.Open(ctx, address)
			if err != nil {
				return err
			}
			defer keep.Close()
			passphrase, err := people.LetIn(ctx, keep, args[0], time.Now())
			if errors.Is(err, store.ErrNotFound) {
				return badInput("there is nobody named %q", args[0])
			}
			if err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "The passphrase of %s is now %s. It is theirs to change at once.\n", args[0], passphrase)
			return nil
		},
	}
	cmd.Flags().StringVar(&dsn, "dsn", "", "address of the PostgreSQL database (else IRONTHREAD_DSN)")
	return configured(cmd)
}
