package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/difference"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/publish"
	"pikegate/internal/store"
)

// Upload is definition files to check, and to publish or keep as drafts.
type Upload struct {
	Files   []catalog.File `json:"files" minItems:"1" maxItems:"10000" doc:"The files."`
	Draft   bool           `json:"draft,omitempty" doc:"Store new revisions and leave what is published."`
	Offline bool           `json:"offline,omitempty" doc:"Do not ask the databases whether they have what new and changed datasets describe."`
	Base    []Seen         `json:"base,omitempty" doc:"The latest revisions that the writer saw; where there is a later one, nothing is stored."`
}

// Seen is a revision that a writer started from.
type Seen struct {
	Kind     catalog.Kind `json:"kind" doc:"What is defined."`
	Name     string       `json:"name" doc:"Its name."`
	Revision int          `json:"revision" minimum:"0" doc:"The latest revision that was seen, 0 for none."`
}

// Put is what became of one definition.
type Put struct {
	Kind       kindWord            `json:"kind" doc:"What was defined."`
	Name       string              `json:"name" doc:"Its name."`
	Change     string              `json:"change" enum:"new,changed,same" doc:"What the upload did."`
	Revision   int                 `json:"revision" doc:"The number of the revision."`
	Difference []difference.Change `json:"difference,omitempty" doc:"Each setting that changed."`
}

// PutList is what an upload did.
type PutList struct {
	Definitions []Put         `json:"definitions" doc:"What became of each definition, in the order of the files."`
	Findings    []fault.Fault `json:"findings" doc:"What one should know before anybody is misled; of drafts, errors too."`
}

// FindingList is what a check found.
type FindingList struct {
	Findings []fault.Fault `json:"findings" doc:"Errors first, then warnings."`
}

// DefinitionText is one revision of a definition, as it was written.
type DefinitionText struct {
	Kind     catalog.Kind `json:"kind" doc:"What is defined."`
	Name     string       `json:"name" doc:"Its name."`
	Revision int          `json:"revision,omitempty" doc:"The number of the revision."`
	Text     string       `json:"text" doc:"The YAML, comments and all."`
}

// DefinitionList is all that is published.
type DefinitionList struct {
	Definitions []DefinitionText `json:"definitions" doc:"By kind and name."`
}

// RevisionList is the revisions of a definition.
type RevisionList struct {
	Revisions []store.Revision `json:"revisions" doc:"The latest first."`
}

// SettingList is what differs between two revisions.
type SettingList struct {
	Settings []difference.Change `json:"settings" doc:"Each setting that differs; empty where only comments do."`
}

// UserList is what builds on a definition.
type UserList struct {
	Users []Named `json:"users" doc:"The definitions that use it directly."`
}

// Named is the name of a definition.
type Named struct {
	Kind catalog.Kind `json:"kind" doc:"What is defined."`
	Name string       `json:"name" doc:"Its name."`
}

// Defined is the path of one definition.
type Defined struct {
	Kind kindWord `path:"kind"`
	Name string   `path:"name"`
}

func (d Defined) ref() catalog.Ref {
	return catalog.Ref{Kind: catalog.Kind(d.Kind), Name: d.Name}
}

const (
	definitionsPath = Prefix + "/definitions"
	definitionPath  = definitionsPath + "/{kind}/{name}"
)

func (r routes) registerDefinitions(api huma.API) {
	big := func(o huma.Operation) huma.Operation {
		o.MaxBodyBytes, o.BodyReadTimeout = mostDefinitionBytes, readTime
		return o
	}
	huma.Register(api, huma.Operation{OperationID: "list-definitions", Method: http.MethodGet, Path: definitionsPath, Summary: "All that is published, as it was written"}, r.definitions)
	huma.Register(api, big(huma.Operation{OperationID: "put-definitions", Method: http.MethodPost, Path: definitionsPath,
		Summary: "Check and publish definition files, all or nothing", Errors: []int{400, 409, 413}}), r.put)
	huma.Register(api, big(huma.Operation{OperationID: "check-definitions", Method: http.MethodPost, Path: definitionsPath + "/check",
		Summary: "Find what is wrong with definition files, and what misleads; nothing is stored", Errors: []int{400, 413}}), r.check)
	huma.Register(api, huma.Operation{OperationID: "definition-schema", Method: http.MethodGet, Path: definitionsPath + "/schema", Summary: "The JSON Schema of definitions, for editors"}, r.schema)
	huma.Register(api, huma.Operation{OperationID: "get-definition", Method: http.MethodGet, Path: definitionPath, Summary: "A definition as it was written", Errors: []int{400, 404}}, r.definition)
	huma.Register(api, huma.Operation{OperationID: "delete-definition", Method: http.MethodDelete, Path: definitionPath,
		Summary: "Take away a definition that nothing uses; its revisions stay", Errors: []int{400, 404, 409}, DefaultStatus: http.StatusOK}, r.delete)
	huma.Register(api, huma.Operation{OperationID: "list-revisions", Method: http.MethodGet, Path: definitionPath + "/revisions", Summary: "The revisions of a definition", Errors: []int{400, 404}}, r.revisions)
	huma.Register(api, huma.Operation{OperationID: "show-difference", Method: http.MethodGet, Path: definitionPath + "/difference", Summary: "Each setting that differs between two revisions", Errors: []int{400, 404}}, r.difference)
	huma.Register(api, huma.Operation{OperationID: "publish-revision", Method: http.MethodPost, Path: definitionPath + "/publish",
		Summary: "Make a revision the one that readers see", Errors: []int{400, 404}}, r.publish)
	huma.Register(api, huma.Operation{OperationID: "list-users", Method: http.MethodGet, Path: definitionPath + "/uses", Summary: "What builds on a definition", Errors: []int{400, 404}}, r.uses)
}

func (r routes) definitions(ctx context.Context, _ *struct{}) (*body[DefinitionList], error) {
	docs, err := r.service.Publisher.Definitions(ctx)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	list := DefinitionList{Definitions: make([]DefinitionText, len(docs))}
	for i, d := range docs {
		list.Definitions[i] = DefinitionText{Kind: d.Kind, Name: d.Name, Text: d.Text}
	}
	return &body[DefinitionList]{list}, nil
}

func (r routes) put(ctx context.Context, in *body[Upload]) (*body[PutList], error) {
	put := publish.Put{Files: in.Body.Files, Draft: in.Body.Draft, Offline: in.Body.Offline, Base: map[catalog.Ref]int{}}
	for _, b := range in.Body.Base {
		put.Base[catalog.Ref{Kind: b.Kind, Name: b.Name}] = b.Revision
	}
	result, err := r.service.Publisher.Put(ctx, put)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[PutList]{putList(result)}, nil
}

func (r routes) check(ctx context.Context, in *body[Upload]) (*body[FindingList], error) {
	found, err := r.service.Publisher.Check(ctx, in.Body.Files)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[FindingList]{FindingList{values(found)}}, nil
}

func (r routes) schema(context.Context, *struct{}) (*body[anyValue], error) {
	return &body[anyValue]{definition.Schema()}, nil
}

func (r routes) definition(ctx context.Context, in *struct {
	Defined
	Revision int `query:"revision" minimum:"0" doc:"The revision; the published one where it is absent."`
}) (*body[DefinitionText], error) {
	d, err := r.service.Publisher.Definition(ctx, in.ref(), in.Revision)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[DefinitionText]{DefinitionText{Kind: d.Kind, Name: d.Name, Revision: d.Revision, Text: d.Text}}, nil
}

func (r routes) delete(ctx context.Context, in *struct{ Defined }) (*status, error) {
	if err := r.service.Publisher.Delete(ctx, in.ref()); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

func (r routes) revisions(ctx context.Context, in *struct{ Defined }) (*body[RevisionList], error) {
	all, err := r.service.Publisher.Revisions(ctx, in.ref())
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[RevisionList]{RevisionList{all}}, nil
}

func (r routes) difference(ctx context.Context, in *struct {
	Defined
	From int `query:"from" minimum:"0" doc:"The earlier revision; the one before where it is absent."`
	To   int `query:"to" minimum:"0" doc:"The later revision; the latest where it is absent."`
}) (*body[SettingList], error) {
	settings, err := r.service.Publisher.Difference(ctx, in.ref(), in.From, in.To)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	if settings == nil {
		settings = []difference.Change{}
	}
	return &body[SettingList]{SettingList{settings}}, nil
}

func (r routes) publish(ctx context.Context, in *struct {
	Defined
	Body struct {
		Revision int `json:"revision,omitempty" minimum:"0" doc:"The revision; the latest where it is absent."`
	}
}) (*status, error) {
	if err := r.service.Publisher.Publish(ctx, in.ref(), in.Body.Revision); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

func (r routes) uses(ctx context.Context, in *struct{ Defined }) (*body[UserList], error) {
	users, err := r.service.Publisher.Uses(ctx, in.ref())
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	list := UserList{Users: make([]Named, len(users))}
	for i, u := range users {
		list.Users[i] = Named{Kind: u.Kind, Name: u.Name}
	}
	return &body[UserList]{list}, nil
}
