package web_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Code, templates, styles and scripts are laid out for people: no line over 140 characters. The linter asks the same of
// the code, but takes its time; here it is seen in the inner loop.
func TestLinesArePeoplesLength(t *testing.T) {
	const most = 140
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && slices.Contains([]string{"vendor", ".git", ".demo", "bin"}, d.Name()):
			return filepath.SkipDir
		case !slices.Contains([]string{".go", ".html", ".css", ".js"}, filepath.Ext(path)):
			return nil
		}
		text, err := os.ReadFile(path)
		for n, line := range strings.Split(string(text), "\n") {
			assert.LessOrEqual(t, utf8.RuneCountInString(line), most, "%s, line %d", path, n+1)
		}
		return err
	}))
}
