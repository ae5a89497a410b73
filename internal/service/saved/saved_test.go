package saved_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/prompt"
	"pikegate/internal/service/base"
	"pikegate/internal/service/saved"
	"pikegate/internal/service/servicetest"
)

var november = saved.Asked{Answers: map[string]prompt.Entered{"days": prompt.OneText("Nov 2026")}}

// Kept answers are private until their owner shares them.
func TestKeptAnswers(t *testing.T) {
	s, ines := servicetest.Open(t)
	rolf := base.WithPerson(context.Background(), base.Person{Name: "Rolf", Role: base.Reader})
	kept, err := s.Saved.Keep(ines, "calls", saved.Keep{Asked: november, Name: "November"})
	require.NoError(t, err)
	assert.True(t, kept.Own)
	listed := func(ctx context.Context) int {
		all, err := s.Saved.List(ctx, "calls")
		require.NoError(t, err)
		return len(all)
	}
	assert.Equal(t, []int{1, 0}, []int{listed(ines), listed(rolf)})
	_, err = s.Saved.Find(rolf, kept.ID)
	assert.Error(t, err)

	shared := saved.Keep{Asked: november, Name: "November", Sharing: saved.Sharing{Shared: true}}
	again, err := s.Saved.Keep(ines, "calls", shared)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{listed(ines), listed(rolf)}, "the same name replaces them")
	assert.Error(t, s.Saved.Forget(rolf, again.ID), "they are another's")
	require.NoError(t, s.Saved.Forget(ines, again.ID))
	assert.Zero(t, listed(ines))

	wrong := saved.Asked{Answers: map[string]prompt.Entered{"days": prompt.OneText("31 Nov 2026")}}
	_, err = s.Saved.Keep(ines, "calls", saved.Keep{Asked: wrong, Name: "Wrong"})
	assert.Error(t, err)
}

// A live link works for anybody with its token until it is revoked.
func TestLiveLinks(t *testing.T) {
	s, ines := servicetest.Open(t)
	sheet := saved.NewLink{Asked: november, Name: "Sheet", Format: "csv", Form: []byte("{}")}
	link, token, err := s.Saved.MakeLink(ines, "calls", sheet)
	require.NoError(t, err)
	used, err := s.Saved.Use(context.Background(), token)
	require.NoError(t, err)
	assert.Equal(t, link.ID, used.ID)
	_, err = s.Saved.Use(context.Background(), token+"x")
	assert.Error(t, err)
	require.NoError(t, s.Saved.Revoke(ines, link.ID))
	_, err = s.Saved.Use(context.Background(), token)
	assert.Error(t, err)
}
