package api

import (
	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/definition"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
	"pikegate/internal/export"
	"pikegate/internal/load"
	"pikegate/internal/service"
)

// Words of requests and answers that the document lists: each list stands where what it
// names is defined, and nowhere else.

func enumOf[T ~string](words []T) *huma.Schema {
	s := &huma.Schema{Type: huma.TypeString}
	for _, w := range words {
		s.Enum = append(s.Enum, string(w))
	}
	return s
}

// Kind is a kind of definition.
type Kind definition.Kind

// Schema lists the kinds.
func (Kind) Schema(huma.Registry) *huma.Schema { return enumOf(definition.Kinds) }

type loadFormat load.Format

func (loadFormat) Schema(huma.Registry) *huma.Schema { return enumOf(load.Formats) }

type loadMode load.Mode

func (loadMode) Schema(huma.Registry) *huma.Schema { return enumOf(load.Modes) }

type loadTotals load.Totals

func (loadTotals) Schema(huma.Registry) *huma.Schema {
	return enumOf([]load.Totals{load.KeepTotals, load.SkipTotals})
}

type state service.State

func (state) Schema(huma.Registry) *huma.Schema { return enumOf(service.AllStates()) }

type output export.Format

func (output) Schema(huma.Registry) *huma.Schema { return enumOf(export.Formats) }

// listed puts the lists of words into the parts of answers that other packages define.
func listed(api huma.API) {
	schemas := api.OpenAPI().Components.Schemas.Map()
	put := func(schema, property string, words *huma.Schema) {
		if s := schemas[schema]; s != nil && s.Properties[property] != nil {
			s.Properties[property].Enum = words.Enum
		}
	}
	put("Receipt", "state", enumOf(service.AllStates()))
	put("PromptInfo", "type", enumOf(prompt.Types))
	put("PromptInfo", "open", enumOf(prompt.OpenSides))
	put("ColumnInfo", "type", enumOf(record.Types))
	put("FileColumn", "type", enumOf(record.Types))
	put("Column", "type", enumOf(record.Types))
}
