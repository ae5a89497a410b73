package export

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	deepcopy "github.com/tiendc/go-deepcopy"
)

type berth struct {
	Name  string
	Boats []*boat
	Tides map[string][]int
	Spare *boat
	Depth [2]*int
}

type boat struct{ Name string }

// The module in third_party replaces one that the spreadsheet library copies its rows with.
func TestCopiesShareNothing(t *testing.T) {
	depth := 3
	made := func() berth {
		return berth{"North", []*boat{{"Petrel"}, nil}, map[string][]int{"low": {1, 2}}, &boat{"Tern"}, [2]*int{&depth, nil}}
	}
	from := made()
	var to berth
	require.NoError(t, deepcopy.Copy(&to, &from))
	assert.Equal(t, from, to)

	to.Boats[0].Name, to.Tides["low"][0], to.Spare.Name = "Gull", 9, "Gull"
	*to.Depth[0] = 4
	assert.Equal(t, made(), from, "what is copied shares nothing with its copy")
	assert.Equal(t, 3, depth)

	require.NoError(t, deepcopy.Copy(&to, berth{}))
	assert.Equal(t, berth{}, to, "nil stays nil")
	require.ErrorContains(t, deepcopy.Copy(&to, boat{}), "cannot copy export.boat to *export.berth")
	require.ErrorContains(t, deepcopy.Copy(to, from), "cannot copy to export.berth")
	require.ErrorContains(t, deepcopy.Copy(&to, (*berth)(nil)), "cannot copy *export.berth")
}
