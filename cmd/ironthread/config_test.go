package main

import (
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A flag wins over the environment, the environment over the file, the file over what is usual.
func TestSettings(t *testing.T) {
	file := filepath.Join(t.TempDir(), "settings.yaml")
	type got struct {
		listen, workshop string
		names            []string
		memory           int
	}
	ask := func(text string, args ...string) (got, error) {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		var g got
		cmd := &cobra.Command{Use: "serve", RunE: func(*cobra.Command, []string) error { return nil }, SilenceErrors: true, SilenceUsage: true}
		cmd.Flags().StringVar(&g.listen, "listen", "usual", "")
		cmd.Flags().StringVar(&g.workshop, "workshop", "usual", "")
		cmd.Flags().StringSliceVar(&g.names, "name", nil, "")
		cmd.Flags().IntVar(&g.memory, "memory", 1, "")
		root := &cobra.Command{SilenceErrors: true, SilenceUsage: true}
		root.AddCommand(configured(cmd), backupCommand())
		root.SetOut(io.Discard)
		root.SetArgs(append([]string{"serve", "--config", file}, args...))
		err := root.Execute()
		return g, err
	}
	const text = "listen: \":8443\"\nworkshop: of the file\nname: [yard.local, 10.0.0.4]\nkeep: 7\n"
	g, err := ask(text)
	require.NoError(t, err, "keep is backup's, and left to it")
	assert.Equal(t, got{":8443", "of the file", []string{"yard.local", "10.0.0.4"}, 1}, g)
	t.Setenv("IRONTHREAD_WORKSHOP", "of the environment")
	g, err = ask(text)
	require.NoError(t, err)
	assert.Equal(t, "of the environment", g.workshop)
	g, err = ask(text, "--workshop", "of the flag", "--memory", "64")
	require.NoError(t, err)
	assert.Equal(t, got{":8443", "of the flag", []string{"yard.local", "10.0.0.4"}, 64}, g)
	for text, want := range map[string]string{
		"listn: x\n":                       "settings.yaml, line 1: there is no setting \"listn\"",
		"listen: a\n\nlisten: b\n":         "line 3: listen is set twice",
		"memory: much\n":                   "line 1: memory: ",
		"listen: {a: b}\n":                 "line 1: listen is one value, or a list",
		"- listen\n":                       "a line of it is a setting's name",
		"listen: [\n":                      "settings.yaml: yaml",
		"config: other\n":                  "there is no setting \"config\"",
		"help: true\n":                     "there is no setting \"help\"",
		string(make([]byte, 65<<10)):       "at most 64 KB",
		"workshop: x\nname: yard\nmemory:": "",
	} {
		_, err := ask(text)
		if want == "" {
			require.Error(t, err, "memory is no number where it is empty")
			continue
		}
		require.ErrorContains(t, err, want)
	}
	t.Setenv("IRONTHREAD_MEMORY", "much")
	_, err = ask("")
	require.ErrorContains(t, err, "IRONTHREAD_MEMORY: ")
}
