package describe_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"ironthread/library"
	"ironthread/library/librarytest"
	"ironthread/scan/describe"
)

// Millions of changed descriptions of a vehicle's data: nothing panics.
func TestManyDescriptions(t *testing.T) {
	e, err := library.Open("f1-one-relay")
	require.NoError(t, err)
	seed, err := yaml.Marshal(describe.For(e.Name, e.Circuit))
	require.NoError(t, err)
	_, err = describe.Read(seed)
	require.NoError(t, err)
	librarytest.Many(t, [][]byte{seed}, func(b []byte) { _, _ = describe.Read(b) })
}
