package api

import (
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/load"
	"pikegate/internal/service/counts"
	"pikegate/internal/service/receipt"
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

// kindWord is a kind of definition.
type kindWord catalog.Kind

// Schema lists the kinds.
func (kindWord) Schema(huma.Registry) *huma.Schema { return enumOf(catalog.Kinds) }

type loadFormat load.Format

func (loadFormat) Schema(huma.Registry) *huma.Schema { return enumOf(load.Formats) }

type loadMode load.Mode

func (loadMode) Schema(huma.Registry) *huma.Schema { return enumOf(load.Modes) }

type loadTotals load.Totals

func (loadTotals) Schema(huma.Registry) *huma.Schema {
	return enumOf([]load.Totals{load.KeepTotals, load.SkipTotals})
}

type state receipt.State

func (state) Schema(huma.Registry) *huma.Schema { return enumOf(receipt.AllStates()) }

// listed puts the lists of words into the parts of answers that other packages define.
func listed(api huma.API) {
	schemas := api.OpenAPI().Components.Schemas.Map()
	put := func(schema, property string, words *huma.Schema) {
		if s := schemas[schema]; s != nil && s.Properties[property] != nil {
			s.Properties[property].Enum = words.Enum
		}
	}
	put("Receipt", "state", enumOf(receipt.AllStates()))
	put("DayCounts", "state", enumOf(counts.States))
	put("PromptInfo", "type", enumOf(prompt.Types))
	put("PromptInfo", "open", enumOf(prompt.OpenSides))
	put("ColumnInfo", "type", enumOf(column.Types))
	put("FileColumn", "type", enumOf(column.Types))
	put("Column", "type", enumOf(column.Types))
	put("ColumnWord", "type", enumOf(column.Types))
	put("TypeWords", "type", enumOf(column.Types))
	put("PromptWord", "type", enumOf(prompt.Types))
	put("OpWord", "form", enumOf(criteria.Forms))
	put("Problem", "code", enumOf(fault.Codes()))
	put("Fault", "code", enumOf(fault.Codes()))
}

// refusals are the problems that any call can meet, whatever it is for.
var refusals = map[int]string{
	http.StatusBadRequest: "The request does not have the shape that this document describes.", http.StatusUnauthorized: "One has to sign in first; the extension x-right of each operation names the role that it takes.",
	http.StatusForbidden:        "Another site's page sent it, or whoever asks has not the role that it takes.",
	http.StatusMethodNotAllowed: "The path knows no such method.", http.StatusRequestTimeout: "It did not come in time.",
	http.StatusUnsupportedMediaType: "Its body is of another media type.", http.StatusMisdirectedRequest: "The service is not called by the name that was asked for.",
	http.StatusTooManyRequests:    "Whoever asks has made as many requests as a person may; Retry-After says how long to wait.",
	http.StatusServiceUnavailable: "The service has too much to do, or is not ready.", http.StatusInsufficientStorage: "There is no room on the disk.",
}

// refusable adds them to each operation that does not tell of them itself, and the role that it takes.
func refusable(api huma.API) {
	problem := &huma.Schema{Ref: "#/components/schemas/Problem"}
	for _, path := range api.OpenAPI().Paths {
		for _, o := range []*huma.Operation{path.Get, path.Post, path.Put, path.Delete, path.Patch} {
			if o == nil {
				continue
			}
			o.Extensions = map[string]any{"x-right": rights[o.OperationID]}
			if seenAs[o.OperationID] {
				o.Parameters = append(o.Parameters, &huma.Param{Name: AsHeader, In: "header", Schema: &huma.Schema{Type: "string"}, Description: "Percent-encoded, a person as whom a developer or an admin sees it, with what is theirs to see."})
			}
			for status, about := range refusals {
				if key := strconv.Itoa(status); o.Responses[key] == nil {
					o.Responses[key] = &huma.Response{Description: about, Content: map[string]*huma.MediaType{"application/problem+json": {Schema: problem}}}
				}
			}
		}
	}
}
