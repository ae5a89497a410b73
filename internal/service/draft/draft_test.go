package draft_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/service/servicetest"
)

// A draft begins with what is published, keeps what is typed by versions, and changes what readers get only
// once it is published.
func TestADraft(t *testing.T) {
	s, ines := servicetest.Open(t)
	ref := catalog.Ref{Kind: catalog.KindQuery, Name: "calls"}
	d, err := s.Drafts.Get(ines, ref)
	require.NoError(t, err)
	assert.Zero(t, d.Version)
	list, err := s.Drafts.List(ines, false)
	require.NoError(t, err)
	assert.Empty(t, list, "looking at it begins none")

	d, err = s.Drafts.Save(ines, ref, 0, strings.Replace(d.Text, "show: [id, day, ship]", "show: [id, day]", 1))
	require.NoError(t, err)
	assert.Empty(t, d.Findings)
	shown := func() int { return len(s.Base.Published.Load().Queries["calls"].Show) }
	assert.Equal(t, 3, shown())
	_, err = s.Drafts.Save(ines, ref, 0, "from another window")
	assert.ErrorContains(t, err, "[draft_moved_on]")

	_, err = s.Drafts.Publish(ines, []catalog.Ref{ref})
	require.NoError(t, err)
	assert.Equal(t, 2, shown())
	assert.Error(t, s.Drafts.Drop(ines, ref), "what is published is no draft any more")
}
