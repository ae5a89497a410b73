package source_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

// Joins are proposed along keys, with what they do to the records.
func TestProposedJoins(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, s sourcetest.Engine) {
		s.Exec(t, `CREATE TABLE boats (id integer PRIMARY KEY, name varchar(40))`)
		s.Exec(t, `CREATE TABLE quays (quay varchar(20) PRIMARY KEY, berths integer)`)
		s.Exec(t, `CREATE TABLE notes (id integer PRIMARY KEY, boat varchar(20))`)
		s.Exec(t, `CREATE TABLE calls (id integer PRIMARY KEY, boat_id integer, quay varchar(20), boat varchar(20))`)
		s.Exec(t, `INSERT INTO boats VALUES (1, 'Auk'), (2, 'Tern')`)
		s.Exec(t, `INSERT INTO quays VALUES ('North', 3)`)
		s.Exec(t, `INSERT INTO calls VALUES (1, 1, 'North', 'Auk'), (2, 2, 'North', 'Tern'), (3, 1, 'South', 'Auk'), (4, NULL, 'North', '')`)
		require.NoError(t, s.Source.View(t.Context(), func(v source.View) error {
			found, err := v.Joins(t.Context(), "calls")
			require.NoError(t, err)
			assert.ElementsMatch(t, []source.JoinProposal{
				{Column: "boat_id", Table: "boats", Key: "id", Looked: 4, Lost: 1},
				{Column: "quay", Table: "quays", Key: "quay", Looked: 4, Lost: 1},
			}, found)
			return nil
		}))
	})
}
