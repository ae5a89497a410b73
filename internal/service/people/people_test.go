package people_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
	"pikegate/internal/service/servicetest"
	"pikegate/internal/store"
)

const password = "gulls over the mole"

// Somebody who was added signs in by name and password, is who holds the session, and is nobody once it ends.
func TestASession(t *testing.T) {
	s, _ := servicetest.Open(t)
	ctx := context.Background()
	assert.False(t, s.People.On())
	_, err := s.People.Add(ctx, "Ida", password, base.Admin, people.Limits{})
	require.NoError(t, err)
	assert.True(t, s.People.On())

	_, _, _, err = s.People.SignIn(ctx, "Ida", "gulls over the pier", "127.0.0.1", "a browser")
	assert.Error(t, err)
	_, secret, _, err := s.People.SignIn(ctx, "Ida", password, "127.0.0.1", "a browser")
	require.NoError(t, err)
	who, err := s.People.Who(ctx, secret, store.Session)
	require.NoError(t, err)
	assert.Equal(t, []string{"Ida", base.Admin}, []string{who.Name, who.Role})
	_, err = s.People.Who(ctx, secret, store.Token)
	assert.ErrorIs(t, err, store.ErrNone, "a session is no token")
	require.NoError(t, s.People.SignOut(base.WithPerson(ctx, who), false))
	_, err = s.People.Who(ctx, secret, store.Session)
	assert.ErrorIs(t, err, store.ErrNone)

	entries, wrong, err := s.People.Verify(ctx)
	require.NoError(t, err)
	assert.Positive(t, entries)
	assert.Zero(t, wrong)
}

func TestWhoCannotBeAdded(t *testing.T) {
	s, _ := servicetest.Open(t)
	for name, c := range map[string]struct{ name, password, role string }{
		"no name":          {"", password, base.Reader},
		"a short password": {"Rolf", "gull", base.Reader},
		"no such role":     {"Rolf", password, "captain"},
	} {
		_, err := s.People.Add(t.Context(), c.name, c.password, c.role, people.Limits{})
		assert.Error(t, err, name)
	}
	all, err := s.People.List(t.Context())
	require.NoError(t, err)
	assert.Empty(t, all)
}
