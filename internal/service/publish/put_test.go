package publish_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/servicetest"
)

func put(text string) publish.Put {
	return publish.Put{Files: []catalog.File{{Name: "f.yaml", Text: text}}}
}

// All of an upload is published or nothing; a revision comes back by its number, and what others read stays.
func TestPublishing(t *testing.T) {
	s, ines := servicetest.Open(t)
	p := s.Publisher
	ref := catalog.Ref{Kind: catalog.KindPrompt, Name: "days"}
	before, err := p.Definitions(ines)
	require.NoError(t, err)
	const changed = "{pikegate: 1, prompt: days, ask: Which days, type: period}"
	_, err = p.Put(ines, put(changed+"\n---\n{pikegate: 1, query: more, of: cals}"))
	assert.ErrorContains(t, err, `did you mean "calls"?`)
	after, err := p.Definitions(ines)
	require.NoError(t, err)
	assert.Equal(t, before, after)

	_, err = p.Put(ines, put(changed))
	require.NoError(t, err)
	all, err := p.Revisions(ines, ref)
	require.NoError(t, err)
	assert.Len(t, all, 2)
	changes, err := p.Difference(ines, ref, 1, 2)
	require.NoError(t, err)
	assert.NotEmpty(t, changes)
	require.NoError(t, p.Publish(ines, ref, 1))
	assert.Equal(t, "When", s.Base.Published.Load().Prompts["days"].Ask)

	uses, err := p.Uses(ines, ref)
	require.NoError(t, err)
	assert.Len(t, uses, 2, "the query and the report")
	assert.Error(t, p.Delete(ines, ref), "they need it")
}
