package api

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/fault"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/saved"
)

// livePath is where live links lie, before their tokens.
const livePath = Prefix + "/live/"

// loggedPath is a path as it is logged: a token is none of the log's business.
func loggedPath(path string) string {
	if strings.HasPrefix(path, livePath) {
		return livePath + "…"
	}
	return path
}

func (r routes) registerSaved(api huma.API) {
	about := func(id, method, path, summary string, errors ...int) huma.Operation {
		return huma.Operation{OperationID: id, Method: method, Path: Prefix + path, Summary: summary, Errors: append([]int{400}, errors...), MaxBodyBytes: mostRunBytes, BodyReadTimeout: readTime}
	}
	huma.Register(api, about("list-kept", http.MethodGet, "/kept", "Answers that one kept, and those that others share"), r.kept)
	huma.Register(api, about("show-kept", http.MethodGet, "/kept/{kept}", "Kept answers", 404), r.oneKept)
	huma.Register(api, about("forget-kept", http.MethodDelete, "/kept/{kept}", "Forget kept answers", 404, 409), r.forget)
	huma.Register(api, about("keep-answers", http.MethodPost, "/reports/{report}/kept", "Keep answers under a name", 404, 409, 413, 422), r.keep)
	huma.Register(api, about("list-links", http.MethodGet, "/links", "One's live links, the latest first"), r.links)
	huma.Register(api, about("make-link", http.MethodPost, "/reports/{report}/links", "Make a live link, whose token is told this once", 404, 409, 413, 422), r.makeLink)
	huma.Register(api, about("revoke-link", http.MethodDelete, "/links/{link}", "Revoke a live link", 404), r.revoke)
	live := about("read-live", http.MethodGet, "/live/{token}", "The records of a live link, as they are now", 404, 406, 410, 422, 502, 503, 504)
	live.Responses = map[string]*huma.Response{"200": {Description: "All records, in the format of the link.", Content: resultContent(api.OpenAPI().Components.Schemas)}}
	huma.Register(api, live, r.live)
}

// KeptList is kept answers.
type KeptList struct {
	Kept []saved.Kept `json:"kept" doc:"By name."`
}

func (r routes) kept(ctx context.Context, in *struct {
	Report string `query:"report" maxLength:"200" doc:"Of this report alone."`
}) (*body[KeptList], error) {
	all, err := r.service.Saved.List(ctx, in.Report)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[KeptList]{KeptList{all}}, nil
}

type keptNumber struct {
	Kept int64 `path:"kept" minimum:"1" doc:"Their number."`
}

func (r routes) oneKept(ctx context.Context, in *keptNumber) (*body[saved.Kept], error) {
	return answered[saved.Kept](ctx)(r.service.Saved.Find(ctx, in.Kept))
}

func (r routes) forget(ctx context.Context, in *keptNumber) (*status, error) {
	if err := r.service.Saved.Forget(ctx, in.Kept); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

func (r routes) keep(ctx context.Context, in *struct {
	Report string `path:"report"`
	Body   saved.Keep
}) (*body[saved.Kept], error) {
	return answered[saved.Kept](ctx)(r.service.Saved.Keep(ctx, in.Report, in.Body))
}

// LinkList is live links.
type LinkList struct {
	Links []saved.Link `json:"links" doc:"The latest first."`
}

func (r routes) links(ctx context.Context, _ *struct{}) (*body[LinkList], error) {
	all, err := r.service.Saved.Links(ctx)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[LinkList]{LinkList{all}}, nil
}

// MadeLink is a live link with its address.
type MadeLink struct {
	saved.Link
	Path string `json:"path" doc:"Where its records lie, under the address of the service. Whoever knows it can read them; it is not told again."`
}

func (r routes) makeLink(ctx context.Context, in *struct {
	CSVChoices
	Report string `path:"report"`
	Body   saved.NewLink
}) (*body[MadeLink], error) {
	if _, err := in.CSVChoices.form(export.Format(in.Body.Format)); err != nil {
		return nil, err
	}
	form, err := json.Marshal(in.CSVChoices)
	if err != nil {
		return nil, err
	}
	in.Body.Form = form
	link, token, err := r.service.Saved.MakeLink(ctx, in.Report, in.Body)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[MadeLink]{MadeLink{*link, livePath + token}}, nil
}

func (r routes) revoke(ctx context.Context, in *struct {
	Link int64 `path:"link" minimum:"1" doc:"Its number."`
}) (*status, error) {
	if err := r.service.Saved.Revoke(ctx, in.Link); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

func (r routes) live(ctx context.Context, in *struct {
	Token string `path:"token" maxLength:"200" doc:"The link's token."`
}) (*huma.StreamResponse, error) {
	link, err := r.service.Saved.Use(ctx, in.Token)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	var choices CSVChoices
	if err := json.Unmarshal(link.Form, &choices); err != nil {
		return nil, newProblem(http.StatusInternalServerError, fault.Failed, "the live link cannot be read; make another")
	}
	as := sentAs{format: export.Format(link.Format)}
	if as.form, err = choices.form(as.format); err != nil {
		return nil, err
	}
	section := link.Section
	if section == 0 && as.format == export.CSV {
		section = answer.OnlyTable
	}
	who, there := r.service.Base.PersonNow(ctx, link.Person, link.Role)
	if !there {
		return nil, newProblem(http.StatusNotFound, fault.UnknownLink, "there is no such live link")
	}
	ctx = base.WithPerson(ctx, who)
	run, err := r.service.Runs.Prepare(ctx, link.Report, answer.Request{Section: section, View: link.View, Answers: link.Answers, AsOf: link.AsOf})
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return r.sent(ctx, run, as), nil
}
