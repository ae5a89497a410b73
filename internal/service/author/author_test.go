package author_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/load"
	"pikegate/internal/service/servicetest"
)

func TestWhatASourceHas(t *testing.T) {
	s, ines := servicetest.Open(t)
	require.Len(t, s.Author.Sources(), 1)
	tables, err := s.Author.Tables(ines, "shore", true)
	require.NoError(t, err)
	require.Len(t, tables, 1)
	assert.Equal(t, "calls", tables[0].Name)
	profile, of, err := s.Author.Inspect(ines, "shore", "calls", true)
	require.NoError(t, err)
	assert.Equal(t, "shore", of.Name)
	assert.Len(t, profile.Columns, 3)
	_, err = s.Author.Tables(ines, "shroe", false)
	assert.ErrorContains(t, err, "shore")
}

// A file becomes a table, which is renamed and removed; one that definitions read is not.
func TestTablesOfFiles(t *testing.T) {
	s, ines := servicetest.Open(t)
	loaded := load.Request{Table: "piers", Key: []string{"id"}}
	_, err := s.Author.Load(ines, strings.NewReader("id,pier\n1,North\n2,South\n"), -1, loaded)
	require.NoError(t, err)
	require.NoError(t, s.Author.RenameTable(ines, "piers", "moles"))
	require.NoError(t, s.Author.RemoveTable(ines, "moles"))
	assert.Error(t, s.Author.RemoveTable(ines, "moles"), "it is gone")
	assert.Error(t, s.Author.RemoveTable(ines, "calls"), "a dataset reads it")
}

func TestPhrases(t *testing.T) {
	s, ines := servicetest.Open(t)
	got, err := s.Author.Phrase(ines, "last month", "", false)
	require.NoError(t, err)
	assert.Equal(t, "Thu 1 Oct 2026 through Sat 31 Oct 2026 (31 days)", got.Spelled)
	got, err = s.Author.Phrase(ines, "32 Oct", "", true)
	require.NoError(t, err)
	assert.Empty(t, got.Spelled)
	assert.NotEmpty(t, got.Refused)
}
