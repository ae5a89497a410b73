package cli

import (
	"encoding/json"
	"fmt"
	"io"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/receipt"
)

func newProof() *cobra.Command {
	return group("proof", "Make proofs: answers with what must come back for them", newProofNew())
}

func newProofNew() *cobra.Command {
	var name, to string
	c := &cobra.Command{
		Use:   "new NUMBER",
		Short: "Make a proof from a receipt",
		Long: `Make a proof from the receipt of a run with evidence: its answers and as-of day,
and the count and fingerprint of what came back. Look at it, keep it beside the
report, and publish it: from then on it is run at each check and before publishing.`,
		Example: `  pikegate proof new 1042 --name late-sailings-june --to late-sailings-june.yaml`,
		Args:    arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			r, err := client.receipt(c, args[0])
			if err != nil {
				return err
			}
			text, err := proofOf(r, name)
			if err != nil {
				return err
			}
			if to == "" {
				_, err = c.OutOrStdout().Write(text)
				return err
			}
			err = writeFile(to, readable, func(w io.Writer) error {
				_, err := w.Write(text)
				return err
			})
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			return nil
		}),
	}
	serverFlag(c)
	c.Flags().StringVar(&name, "name", "", "name of the proof; that of the report with the receipt's number where absent")
	c.Flags().StringVar(&to, "to", "", "file to write to, in place of standard output")
	return c
}

// proofOf is a proof as a definition.
func proofOf(r *receipt.Receipt, name string) ([]byte, error) {
	switch {
	case r.Evidence == nil || r.Records == nil:
		return nil, fail(exitUsage, "receipt %d tells of no evidence; run the report with --evidence, or as a table", r.ID)
	case r.Evidence.Fingerprint == "":
		return nil, fail(exitUsage, "receipt %d has no fingerprint, since not all of its rows were read; pikegate run %s reads them all", r.ID, r.Report)
	}
	if name == "" {
		name = fmt.Sprintf("%s-%d", r.Report, r.ID)
	}
	answers := map[string]any{}
	for _, a := range r.Answers {
		if a.Derived != "" {
			continue
		}
		plain, err := plainAnswer(a.Entered)
		if err != nil {
			return nil, fail(exitFailed, "%w", err)
		}
		answers[a.Prompt] = plain
	}
	type expect struct {
		Records     int64  `yaml:"records"`
		Fingerprint string `yaml:"fingerprint"`
	}
	text, err := yaml.Marshal(struct {
		Format  int            `yaml:"pikegate"`
		Proof   string         `yaml:"proof"`
		Report  string         `yaml:"report"`
		AsOf    string         `yaml:"as_of"`
		Answers map[string]any `yaml:"answers,omitempty"`
		Expect  expect         `yaml:"expect"`
	}{1, name, r.Report, r.AsOf.String(), answers, expect{*r.Records, r.Evidence.Fingerprint}})
	if err != nil {
		return nil, fail(exitFailed, "%w", err)
	}
	_, wrong := definition.Split(catalog.File{Name: name + ".yaml", Text: string(text)})
	if len(wrong) > 0 {
		return nil, fail(exitUsage, "name: %w", wrong)
	}
	return text, nil
}

// plainAnswer is an answer as YAML writes it.
func plainAnswer(e prompt.Entered) (plain any, err error) {
	text, err := e.MarshalJSON()
	if err == nil {
		err = json.Unmarshal(text, &plain)
	}
	return plain, err
}
