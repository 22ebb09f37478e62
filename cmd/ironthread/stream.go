package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"io"

	"github.com/spf13/cobra"

	"ironthread/core/diagnose"
	"ironthread/core/harness"
	"ironthread/core/probe"
)

// stream answers JSON Lines: a list of observations a line in, what they leave, or an error, a line
// out. The guide is kept between the lines, and with it what it has foretold.
func stream(cmd *cobra.Command, c *harness.Circuit) error {
	g, err := guideOf(c)
	if err != nil {
		return err
	}
	in := bufio.NewReaderSize(cmd.InOrStdin(), 64<<10)
	out := json.NewEncoder(cmd.OutOrStdout())
	for {
		line, err := readLine(in)
		if len(bytes.TrimSpace(line)) > 0 {
			if err := out.Encode(answerLine(cmd, g, line)); err != nil {
				return err
			}
		}
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

type refusal struct {
	Error string `json:"error"`
}

func answerLine(cmd *cobra.Command, g *diagnose.Guide, line []byte) any {
	if len(line) > harness.MaxBytes {
		return refusal{"the line is longer than a list of observations may be"}
	}
	seen, err := probe.ReadObservations(line, g.Circuit())
	if err != nil {
		return refusal{err.Error()}
	}
	a, err := assess(cmd.Context(), g, seen)
	if err != nil {
		return refusal{err.Error()}
	}
	return a
}

// readLine reads to the line's end; of a longer one than may be, the rest is passed over.
func readLine(in *bufio.Reader) ([]byte, error) {
	var line []byte
	for {
		part, more, err := in.ReadLine()
		if room := harness.MaxBytes + 1 - len(line); room > 0 {
			line = append(line, part[:min(len(part), room)]...)
		}
		if err != nil || !more {
			return line, err
		}
	}
}
