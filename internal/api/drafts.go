package api

import (
	"context"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/edit"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/author"
	"pikegate/internal/service/base"
	"pikegate/internal/service/draft"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/run"
)

// Drafted is a request that can be answered by one's drafts.
type Drafted struct {
	Drafts bool   `query:"drafts" doc:"Answer as if one's drafts were published. A definition without report is one then, named by kind and name, as in query:late-sailings; nothing is put on record."`
	Source string `query:"source" maxLength:"1000" doc:"With drafts: read all datasets from this source, whose tables have the same names and columns."`
}

// within is the context that a request is answered in.
func (r routes) within(ctx context.Context, in Drafted) (context.Context, error) {
	if !in.Drafts {
		return ctx, nil
	}
	if p := r.may(ctx, base.Developer, "ask drafts"); p != nil {
		return nil, p
	}
	within, err := r.service.Drafts.Within(ctx, in.Source)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return within, nil
}

// DraftList is drafts.
type DraftList struct {
	Drafts []draft.Listed `json:"drafts" doc:"By kind and name."`
}

// DraftText is the text of a draft.
type DraftText struct {
	Version int    `json:"version" minimum:"0" doc:"The version that it goes on from; 0 to begin a draft."`
	Text    string `json:"text" maxLength:"16000000" doc:"The YAML, as it was typed."`
}

// DraftEdits are edits of a draft.
type DraftEdits struct {
	Version int         `json:"version" minimum:"0" doc:"The version that it goes on from; 0 to begin a draft of what is published."`
	Edits   []DraftEdit `json:"edits" minItems:"1" maxItems:"1000" doc:"Made in their order, all or none."`
}

// DraftEdit is one edit, which changes its own bytes of the text alone.
type DraftEdit struct {
	Op     editWord `json:"op" doc:"What is done. mend puts what a finding suggests in the place of the part or the key that it is about."`
	Path   string   `json:"path" doc:"The part, as a JSON pointer (RFC 6901) such as /where/all/0. Of an item that is added the place that it gets, - for the end."`
	From   string   `json:"from,omitempty" doc:"Of a move: the part that is taken from there. Path is then a place in what is left."`
	Value  anyValue `json:"value,omitempty" doc:"Of set and add: the value."`
	Name   string   `json:"name,omitempty" doc:"Of a rename: the new key."`
	Before string   `json:"before,omitempty" doc:"Of an entry that is added to a mapping: the key that it comes in front of."`
	Text   string   `json:"text,omitempty" doc:"Of a mend: the suggestion, as YAML."`
	Key    bool     `json:"key,omitempty" doc:"Of a mend: whether it is for the key."`
}

// editMend is what the API takes beside the edits of the core.
const editMend = "mend"

type editWord string

func (editWord) Schema(huma.Registry) *huma.Schema {
	s := enumOf(edit.Ops)
	s.Enum = append(s.Enum, editMend)
	return s
}

// anyValue is a value of any type.
type anyValue json.RawMessage

// MarshalJSON is the value.
func (v anyValue) MarshalJSON() ([]byte, error) { return v, nil }

// UnmarshalJSON keeps the value as it is written, the entries of an object in their order.
func (v *anyValue) UnmarshalJSON(text []byte) error {
	*v = append((*v)[:0], text...)
	return nil
}

// Schema is any value.
func (anyValue) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{OneOf: []*huma.Schema{{Type: huma.TypeString}, {Type: huma.TypeNumber}, {Type: huma.TypeBoolean}, {Type: huma.TypeArray, Items: &huma.Schema{}}, {Type: huma.TypeObject, AdditionalProperties: true}}}
}

// edits are those of a request.
func edits(in []DraftEdit) ([]edit.Edit, error) {
	all := make([]edit.Edit, len(in))
	for i, e := range in {
		all[i] = edit.Edit{Op: edit.Op(e.Op), Path: e.Path, From: e.From, Name: e.Name, Before: e.Before}
		var err error
		switch {
		case e.Op == editMend && e.Key:
			all[i].Op, all[i].Name = edit.Rename, e.Text
		case e.Op == editMend:
			all[i].Op, all[i].Value = edit.Set, edit.TextOf(e.Text)
			if d, err := edit.Parse(e.Text); err == nil {
				all[i].Value = d.Root
			}
		case len(e.Value) > 0:
			all[i].Value, err = edit.Value(e.Value)
		case all[i].Op == edit.Set || all[i].Op == edit.Add:
			return nil, newProblem(http.StatusBadRequest, fault.InvalidRequest, "an edit that sets or adds something has a value")
		}
		if err != nil {
			return nil, newProblem(http.StatusBadRequest, fault.InvalidRequest, "a value cannot be read: "+err.Error())
		}
	}
	return all, nil
}

// VersionSeen is the version that a change goes on from.
type VersionSeen struct {
	Version int `json:"version" minimum:"1" doc:"The version that it goes on from."`
}

// DraftNames are drafts of one's own.
type DraftNames struct {
	Drafts []Named `json:"drafts,omitempty" maxItems:"10000" doc:"Which; all where there are none."`
}

// EffectRequest asks for an effect.
type EffectRequest struct {
	Runs int `json:"runs,omitempty" minimum:"1" maximum:"100" doc:"How many of the latest runs of each report; 5 where it is absent."`
}

// FilesEffect asks for the effect of files.
type FilesEffect struct {
	EffectRequest
	Files []catalog.File `json:"files" minItems:"1" maxItems:"10000" doc:"The files."`
}

// NewName is another name for a definition.
type NewName struct {
	Name string `json:"name" doc:"The new name."`
}

// CountsRequest asks how many records variants of a draft would bring.
type CountsRequest struct {
	Asked
	Variants []DraftVariant `json:"variants" minItems:"1" maxItems:"50" doc:"Each a list of edits that are tried; one without edits is the draft as it stands."`
}

// DraftVariant is edits that are tried together.
type DraftVariant struct {
	Edits []DraftEdit `json:"edits" maxItems:"100" doc:"Made in their order."`
}

// VariantCounts is how many records variants would bring.
type VariantCounts struct {
	Counts []draft.Counted `json:"counts" doc:"Of each variant, in their order."`
}

const (
	draftsPath = Prefix + "/drafts"
	draftPath  = draftsPath + "/{kind}/{name}"
)

func (r routes) registerDrafts(api huma.API) {
	operation := func(id, method, path, summary string, errors ...int) huma.Operation {
		return huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, Errors: append([]int{400, 422}, errors...), MaxBodyBytes: mostDefinitionBytes, BodyReadTimeout: readTime, DefaultStatus: http.StatusOK}
	}
	huma.Register(api, operation("list-drafts", http.MethodGet, draftsPath, "What is being written"), r.drafts)
	huma.Register(api, operation("get-draft", http.MethodGet, draftPath, "A draft of one's own, or what one would start from", 404), r.draft)
	huma.Register(api, operation("save-draft", http.MethodPut, draftPath, "Save the text of a draft, or begin one", 409, 413), r.saveDraft)
	huma.Register(api, operation("edit-draft", http.MethodPost, draftPath+"/edits", "Change parts of a draft and nothing else of its text, or begin one so", 404, 409, 413), r.editDraft)
	huma.Register(api, operation("undo-draft", http.MethodPost, draftPath+"/undo", "Take the last step of a draft back", 404, 409), r.stepDraft(true))
	huma.Register(api, operation("redo-draft", http.MethodPost, draftPath+"/redo", "Make a step that was taken back again", 404, 409), r.stepDraft(false))
	huma.Register(api, operation("drop-draft", http.MethodDelete, draftPath, "Take a draft away", 404), r.dropDraft)
	huma.Register(api, operation("take-theirs", http.MethodPost, draftPath+"/take", "Go on from the latest revision, with some of what others changed there", 404, 409), r.takeTheirs)
	huma.Register(api, operation("count-variants", http.MethodPost, draftPath+"/counts", "How many records a draft would bring with edits made in it; nothing is stored", 404, 502, 504), r.countVariants)
	huma.Register(api, operation("publish-drafts", http.MethodPost, draftsPath+"/publish", "Check and publish drafts of one's own, all or none", 404, 409), r.publishDrafts)
	huma.Register(api, operation("check-drafts", http.MethodPost, draftsPath+"/check", "Hold one's drafts against the databases, and run the proofs that they touch"), r.checkDrafts)
	huma.Register(api, operation("effect-of-drafts", http.MethodPost, draftsPath+"/effect", "What one's drafts would change in the latest runs of readers", 502, 504), r.draftsEffect)
	huma.Register(api, operation("list-words", http.MethodGet, draftsPath+"/words", "What conditions on a dataset can be made of"), r.words)
	huma.Register(api, operation("list-readings", http.MethodGet, draftsPath+"/readings", "What stored dates of a dataset are read as", 404, 502, 504), r.readings)
	huma.Register(api, operation("read-phrase", http.MethodGet, draftsPath+"/phrase", "What a phrase means"), r.phrase)
	huma.Register(api, operation("effect-of-files", http.MethodPost, definitionsPath+"/effect", "What definition files would change in the latest runs of readers; nothing is stored", 413, 502, 504), r.filesEffect)
	huma.Register(api, operation("rename-definition", http.MethodPost, definitionPath+"/rename", "Give a definition another name, in it and in all that name it", 404, 409), r.rename)
}

func (r routes) drafts(ctx context.Context, in *struct {
	Everybody bool `query:"everybody" doc:"Those of everybody, and not one's own alone."`
}) (*body[DraftList], error) {
	all, err := r.service.Drafts.List(ctx, in.Everybody)
	return answered[DraftList](ctx)(&DraftList{all}, err)
}

func (r routes) draft(ctx context.Context, in *struct{ Defined }) (*body[draft.Draft], error) {
	return answered[draft.Draft](ctx)(r.service.Drafts.Get(ctx, in.ref()))
}

func (r routes) saveDraft(ctx context.Context, in *struct {
	Defined
	Body DraftText
}) (*body[draft.Draft], error) {
	return answered[draft.Draft](ctx)(r.service.Drafts.Save(ctx, in.ref(), in.Body.Version, in.Body.Text))
}

func (r routes) editDraft(ctx context.Context, in *struct {
	Defined
	Body DraftEdits
}) (*body[draft.Draft], error) {
	all, err := edits(in.Body.Edits)
	if err != nil {
		return nil, err
	}
	return answered[draft.Draft](ctx)(r.service.Drafts.Edit(ctx, in.ref(), in.Body.Version, all))
}

func (r routes) stepDraft(back bool) func(context.Context, *struct {
	Defined
	Body VersionSeen
}) (*body[draft.Draft], error) {
	return func(ctx context.Context, in *struct {
		Defined
		Body VersionSeen
	}) (*body[draft.Draft], error) {
		return answered[draft.Draft](ctx)(r.service.Drafts.Step(ctx, in.ref(), in.Body.Version, back))
	}
}

func (r routes) dropDraft(ctx context.Context, in *struct{ Defined }) (*status, error) {
	if err := r.service.Drafts.Drop(ctx, in.ref()); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

func (r routes) takeTheirs(ctx context.Context, in *struct {
	Defined
	Body struct {
		VersionSeen
		Take []string `json:"take" maxItems:"1000" doc:"The parts to take, each by its part as the draft tells them in theirs; what is not taken stays as one's own draft has it."`
	}
}) (*body[draft.Draft], error) {
	return answered[draft.Draft](ctx)(r.service.Drafts.Take(ctx, in.ref(), in.Body.Version, in.Body.Take))
}

func (r routes) countVariants(ctx context.Context, in *struct {
	Defined
	Body CountsRequest
}) (*body[VariantCounts], error) {
	variants := make([]draft.Variant, len(in.Body.Variants))
	for i, v := range in.Body.Variants {
		all, err := edits(v.Edits)
		if err != nil {
			return nil, err
		}
		variants[i] = draft.Variant{Edits: all}
	}
	counts, err := r.service.Drafts.Counts(ctx, r.service.Answers, in.ref(), variants, in.Body.request())
	return answered[VariantCounts](ctx)(&VariantCounts{counts}, err)
}

func (r routes) publishDrafts(ctx context.Context, in *body[DraftNames]) (*body[PutList], error) {
	var refs []catalog.Ref
	for _, d := range in.Body.Drafts {
		refs = append(refs, catalog.Ref{Kind: d.Kind, Name: d.Name})
	}
	result, err := r.service.Drafts.Publish(ctx, refs)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[PutList]{putList(result)}, nil
}

// putList is what became of definitions.
func putList(result *publish.PutResult) PutList {
	out := PutList{Definitions: make([]Put, len(result.Stored)), Findings: values(result.Findings)}
	for i, s := range result.Stored {
		out.Definitions[i] = Put{Kind: kindWord(s.Kind), Name: s.Name, Change: string(s.Change), Revision: s.Revision, Difference: s.Difference}
	}
	return out
}

func (r routes) checkDrafts(ctx context.Context, _ *struct{}) (*body[FindingList], error) {
	found, err := r.service.Drafts.Check(ctx)
	return answered[FindingList](ctx)(&FindingList{values(found)}, err)
}

func (r routes) draftsEffect(ctx context.Context, in *body[EffectRequest]) (*body[run.Effect], error) {
	return answered[run.Effect](ctx)(r.service.Drafts.Effect(ctx, r.service.Runs, in.Body.Runs))
}

func (r routes) filesEffect(ctx context.Context, in *body[FilesEffect]) (*body[run.Effect], error) {
	return answered[run.Effect](ctx)(r.service.Runs.Effect(ctx, in.Body.Files, in.Body.Runs))
}

func (r routes) words(ctx context.Context, in *struct {
	Dataset string `query:"dataset" required:"true" doc:"Name of the dataset."`
}) (*body[draft.Words], error) {
	return answered[draft.Words](ctx)(r.service.Drafts.Words(ctx, in.Dataset))
}

// ReadingList is what the dated columns of a dataset are read as.
type ReadingList struct {
	Readings []draft.Reading `json:"readings" doc:"Of each dated column."`
}

func (r routes) readings(ctx context.Context, in *struct {
	Dataset string `query:"dataset" required:"true" doc:"Name of the dataset."`
}) (*body[ReadingList], error) {
	all, err := r.service.Drafts.Readings(ctx, r.service.Runs, in.Dataset)
	return answered[ReadingList](ctx)(&ReadingList{all}, err)
}

func (r routes) phrase(ctx context.Context, in *struct {
	Text string `query:"text" required:"true" maxLength:"1000" doc:"The phrase, as a definition has it."`
	AsOf string `query:"as_of" maxLength:"1000" doc:"The day to take for today."`
	Day  bool   `query:"day" doc:"Whether a single day is meant."`
}) (*body[author.Meaning], error) {
	ctx, err := r.within(ctx, Drafted{Drafts: true})
	if err != nil {
		return nil, err
	}
	return answered[author.Meaning](ctx)(r.service.Author.Phrase(ctx, in.Text, in.AsOf, in.Day))
}

func (r routes) rename(ctx context.Context, in *struct {
	Defined
	Body NewName
}) (*body[PutList], error) {
	stored, err := r.service.Publisher.Rename(ctx, in.ref(), in.Body.Name)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[PutList]{putList(&publish.PutResult{Stored: stored})}, nil
}
