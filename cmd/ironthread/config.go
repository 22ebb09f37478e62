package main

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"go.yaml.in/yaml/v3"
)

// A service is set up in one file that names the flags of its commands, so that whoever runs it has one place to look. What
// is nearer to the hand wins: a flag, then the environment (IRONTHREAD_ and the flag's name), then the file, then what is
// usual. A name that no command has is an error, because a misspelt setting that is silently left out is worse.

const (
	configFlag      = "config"
	environment     = "IRONTHREAD_"
	mostConfigBytes = 64 << 10
)

// configured lets a command's flags be set by the file and the environment, too.
func configured(cmd *cobra.Command) *cobra.Command {
	cmd.Annotations = map[string]string{configFlag: "yes"}
	cmd.Flags().String(configFlag, "", "file of settings: the names of flags with their values, as YAML (else IRONTHREAD_CONFIG)")
	run := cmd.RunE
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if err := configure(cmd); err != nil {
			return inputError{err}
		}
		return run(cmd, args)
	}
	return cmd
}

// variable is the environment's name of a flag.
func variable(flag string) string {
	return environment + strings.ToUpper(strings.ReplaceAll(flag, "-", "_"))
}

// configure sets what no flag has set.
func configure(cmd *cobra.Command) error {
	var wrong error
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		value, given := os.LookupEnv(variable(f.Name))
		if wrong != nil || f.Changed || !given || value == "" || f.Name == "help" {
			return
		}
		if err := cmd.Flags().Set(f.Name, value); err != nil {
			wrong = fmt.Errorf("%s: %w", variable(f.Name), err)
		}
	})
	if wrong != nil {
		return wrong
	}
	name, err := cmd.Flags().GetString(configFlag)
	if err != nil || name == "" {
		return err
	}
	return fromFile(cmd, name)
}

// fromFile sets what neither a flag nor the environment has set.
func fromFile(cmd *cobra.Command, name string) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	text, err := io.ReadAll(io.LimitReader(f, mostConfigBytes+1))
	if err != nil {
		return err
	}
	if len(text) > mostConfigBytes {
		return fmt.Errorf("%s: a file of settings has at most %d KB", name, mostConfigBytes>>10)
	}
	var page yaml.Node
	if err := yaml.Unmarshal(text, &page); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	if len(page.Content) == 0 {
		return nil // an empty file sets nothing
	}
	top := page.Content[0]
	if top.Kind != yaml.MappingNode {
		return fmt.Errorf("%s: a line of it is a setting's name, a colon and its value", name)
	}
	seen := map[string]bool{}
	for k := 0; k+1 < len(top.Content); k += 2 {
		key, value := top.Content[k], top.Content[k+1]
		if seen[key.Value] {
			return fmt.Errorf("%s, line %d: %s is set twice", name, key.Line, key.Value)
		}
		seen[key.Value] = true
		if err := setFrom(cmd, key.Value, value); err != nil {
			return fmt.Errorf("%s, line %d: %w", name, key.Line, err)
		}
	}
	return nil
}

// setFrom sets one flag by a line of the file; a name that another command has is left to that one.
func setFrom(cmd *cobra.Command, key string, value *yaml.Node) error {
	f := cmd.Flags().Lookup(key)
	if f == nil || key == configFlag || key == "help" {
		for _, other := range cmd.Root().Commands() {
			if other.Annotations[configFlag] != "" && other.Flags().Lookup(key) != nil && key != configFlag && key != "help" {
				return nil
			}
		}
		return fmt.Errorf("there is no setting %q", key)
	}
	var words []string
	switch value.Kind {
	case yaml.ScalarNode:
		words = []string{value.Value}
	case yaml.SequenceNode:
		for _, one := range value.Content {
			words = append(words, one.Value)
		}
	default:
		return fmt.Errorf("%s is one value, or a list of values", key)
	}
	if f.Changed {
		return nil
	}
	if err := cmd.Flags().Set(key, strings.Join(words, ",")); err != nil {
		return fmt.Errorf("%s: %w", key, err)
	}
	return nil
}
