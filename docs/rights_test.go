package docs

import (
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The reference of rights is made of the document that the service serves.
func TestRights(t *testing.T) {
	text, err := os.ReadFile("../console/openapi.json")
	require.NoError(t, err)
	var document struct {
		Paths map[string]map[string]struct {
			Summary string `json:"summary"`
			Right   string `json:"x-right"`
		} `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(text, &document))
	rows := map[string][]string{}
	for path, methods := range document.Paths {
		for method, o := range methods {
			rows[o.Right] = append(rows[o.Right], fmt.Sprintf("| `%s %s` | %s |", strings.ToUpper(method), path, o.Summary))
		}
	}
	var b strings.Builder
	b.WriteString("# Rights\n\nWhich call takes which role, as `x-right` of the OpenAPI document says it. Who may more may also do what takes less.\nWhere nobody has to [sign in](../how-to/let-people-sign-in.md), everybody who reaches the service may call all of them.\n")
	for _, role := range []string{"anybody", "reader", "developer", "admin"} {
		require.NotEmpty(t, rows[role])
		slices.Sort(rows[role])
		fmt.Fprintf(&b, "\n## %s\n\n| call | does |\n|---|---|\n%s\n", strings.ToUpper(role[:1])+role[1:], strings.Join(rows[role], "\n"))
		delete(rows, role)
	}
	assert.Empty(t, rows, "calls without a rule")
	const file = "reference/rights.md"
	if *update {
		require.NoError(t, os.WriteFile(file, []byte(b.String()), 0o644))
	}
	kept, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, b.String(), string(kept), "go test ./docs -run Rights -update writes it anew")
}
