package main

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/store"
)

// Somebody who has lost the passphrase is let in by whoever has the machine; nobody else is.
func TestLetIn(t *testing.T) {
	dsn := aDatabase(t)
	keep, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	defer keep.Close()
	id, err := keep.AddPerson(t.Context(), "Maud", store.Lead, "x")
	require.NoError(t, err)
	require.NoError(t, keep.SetSecond(t.Context(), id, "SECRET"))
	code, out, _ := command("", "let-in", "maud", "--dsn", dsn)
	require.Zero(t, code)
	assert.Regexp(t, `The passphrase of maud is now [A-Z2-7]{16}\.`, out)
	p, err := keep.Person(t.Context(), id)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(p.Secret, "$argon2id$"))
	assert.Empty(t, p.Second)
	assert.Equal(t, 1, p.Epoch, "every session has ended")
	assert.Contains(t, p.Notice, "at the machine itself")
	code, _, errs := command("", "let-in", "Nobody", "--dsn", dsn)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, `there is nobody named "Nobody"`)
}
