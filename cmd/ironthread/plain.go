package main

import (
	"bytes"
	"io"
)

// plainWriter keeps what a file or an argument may carry from steering the terminal: every control
// character but the line's end and the tabulator is shown as a question mark.
type plainWriter struct{ out io.Writer }

func (w plainWriter) Write(b []byte) (int, error) {
	shown := bytes.Map(func(r rune) rune {
		if r < ' ' && r != '\n' && r != '\t' || r >= 0x7f && r < 0xa0 {
			return '?'
		}
		return r
	}, b)
	if _, err := w.out.Write(shown); err != nil {
		return 0, err
	}
	return len(b), nil
}
