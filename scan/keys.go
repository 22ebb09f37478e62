package scan

import (
	"bytes"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"strings"
	"time"
)

// Bounds of a program that makes keys.
const (
	keyWithin  = 2 * time.Second
	mostKey    = 64 // bytes of a key
	mostOutput = 4096
)

// KeyPrograms makes keys by programs that the owner of this machine has set, by name. Each is run by itself, without a shell and without
// arguments: it reads the seed in hexadecimal figures and writes the key in the same.
func KeyPrograms(programs map[string]string) Keys {
	return func(ctx context.Context, name string, seed []byte) ([]byte, error) {
		path, ok := programs[name]
		if !ok {
			return nil, errors.New("nobody has set a program for it on this machine")
		}
		ctx, cancel := context.WithTimeout(ctx, keyWithin)
		defer cancel()
		cmd := exec.CommandContext(ctx, path) //nolint:gosec // set by whoever owns the machine, never by a file or a page
		cmd.Stdin = strings.NewReader(hex.EncodeToString(seed) + "\n")
		cmd.Env = []string{}
		cmd.WaitDelay = keyWithin
		var out bounded
		cmd.Stdout = &out
		if err := cmd.Run(); err != nil {
			return nil, fmt.Errorf("its program did not end well: %w", err)
		}
		key, err := hex.DecodeString(strings.TrimSpace(out.String()))
		if err != nil || len(key) == 0 || len(key) > mostKey {
			return nil, fmt.Errorf("its program wrote no key of 1 to %d bytes in hexadecimal figures", mostKey)
		}
		return key, nil
	}
}

// bounded keeps the first bytes that are written, and refuses the rest.
type bounded struct{ bytes.Buffer }

func (b *bounded) Write(p []byte) (int, error) {
	if b.Len()+len(p) > mostOutput {
		return 0, io.ErrShortWrite
	}
	return b.Buffer.Write(p)
}
