package customsql

import (
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var folders = map[Dialect]string{SQLite: "sqlite", Postgres: "postgres", MariaDB: "mariadb"}

// lines are those of a file, one statement each; characters that a file does not show are
// written as Go writes them.
func lines(t *testing.T, path string) []string {
	t.Helper()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	return strings.Split(strings.TrimSuffix(string(text), "\n"), "\n")
}

// What would do more than read records, or is written so that an engine could take it
// apart in another way, is refused; see testdata.
func TestAttacksAreRefused(t *testing.T) {
	for dialect, folder := range folders {
		all := lines(t, "testdata/"+folder+"/attacks.txt")
		require.GreaterOrEqual(t, len(all), 150)
		for _, line := range all {
			text, err := strconv.Unquote(`"` + strings.ReplaceAll(line, `"`, `\"`) + `"`)
			require.NoError(t, err, line)
			_, problems := Reader{Dialect: dialect}.Read(text)
			assert.NotEmpty(t, problems, "%s: %s", dialect, line)
		}
	}
}

// What developers write of records is read; package source holds it to the engines.
func TestHonestStatementsAreRead(t *testing.T) {
	for dialect, folder := range folders {
		all := lines(t, "testdata/"+folder+"/honest.txt")
		require.GreaterOrEqual(t, len(all), 150)
		for _, text := range all {
			_, problems := Reader{Dialect: dialect}.Read(text)
			for _, p := range problems {
				assert.Fail(t, p.Message, "%s at %d: %s", dialect, p.At, text)
			}
		}
	}
}

// The admin's own functions may be called, by the names that they were given and no others;
// tables may be named with the source's own schema.
func TestWhatIsAllowedBesides(t *testing.T) {
	r := Reader{Dialect: Postgres, Functions: []string{"shore.Tide", "swell"}, Schema: "Shore"}
	for text, fine := range map[string]bool{
		"SELECT shore.tide(1)": true, `SELECT "shore"."tide"(1)`: true, "SELECT Swell (1)": true, "SELECT tide(1)": false, "SELECT other.tide(1)": false, "SELECT shore.swell(1)": false,
		"SELECT * FROM shore.t": true, "SELECT * FROM t JOIN SHORE.u ON true": true, "SELECT * FROM other.t": false, "SELECT * FROM db.shore.t": false,
	} {
		_, problems := r.Read(text)
		assert.Equal(t, fine, len(problems) == 0, "%s: %v", text, problems)
	}
}
