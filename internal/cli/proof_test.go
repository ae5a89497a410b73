package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/prompt"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/receipt"
)

// A proof is made of a receipt that tells how many records there were, and has a fingerprint of all.
func TestProofsAreOfWholeResults(t *testing.T) {
	records := int64(3)
	r := &receipt.Receipt{ID: 7, Report: "late", Records: &records, Answers: []answer.Understood{{Prompt: "days", Entered: prompt.OneText("Feb 2026")}}}
	_, err := proofOf(r, "")
	assert.EqualError(t, err, "receipt 7 tells of no evidence; run the report with --evidence, or as a table")
	r.Evidence = &receipt.Evidence{}
	_, err = proofOf(r, "")
	assert.EqualError(t, err, "receipt 7 has no fingerprint, since not all of its rows were read; pikegate run late reads them all")
	r.Evidence.Fingerprint = "abc"
	text, err := proofOf(r, "")
	require.NoError(t, err)
	assert.Contains(t, string(text), "proof: late-7\n")
	assert.Contains(t, string(text), "fingerprint: abc\n")
}
