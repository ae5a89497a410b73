package fault

import (
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestHowAFaultPrints(t *testing.T) {
	f := New("unknown_column", "no column %q in dataset %q", "rout", "sailings").Suggest("route").At(Place{File: "late-sailings.yaml", Line: 14, Column: 9})
	assert.EqualError(t, f, `late-sailings.yaml:14:9: no column "rout" in dataset "sailings"; did you mean "route"? [unknown_column]`)
	assert.EqualError(t, New("a", "b").At(Place{Prompt: "days", Side: "end"}), "days.end: b [a]")
	assert.EqualError(t, New("a", "b").Suggest("x", "y", "z"), `b; did you mean "x", "y" or "z"? [a]`)
	f.Cause = io.EOF
	assert.ErrorIs(t, f, io.EOF)
}

func TestAListPrintsEverything(t *testing.T) {
	assert.EqualError(t, List{New("a", "b"), New("c", "d")}, "b [a]\nd [c]")
}

func TestNear(t *testing.T) {
	known := []string{"route", "vessel", "departed_at", "at", "passengers"}
	for word, want := range map[string]string{
		"rout": "route", "ROUTE": "route", "ruote": "route", "vesel": "vessel", "departed": "departed_at", "pasengers": "passengers", "harbour": "", "a": "", "": "",
	} {
		assert.Equal(t, want, Near(word, known), "%q", word)
	}
	assert.Empty(t, Near(string(make([]byte, 1000)), known))
}
