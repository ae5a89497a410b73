package api

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/catalog"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/author"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
)

// receiptPath is where a receipt lies.
func receiptPath(id int64) string { return fmt.Sprintf("%s/receipts/%d", Prefix, id) }

func (r routes) registerReceipts(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "list-receipts", Method: http.MethodGet, Path: Prefix + "/receipts",
		Summary: "What was run, the latest first", Errors: []int{400, 422}}, r.history)
	huma.Register(api, huma.Operation{OperationID: "show-receipt", Method: http.MethodGet, Path: Prefix + "/receipts/{receipt}",
		Summary: "The record of a run", Errors: []int{400, 404}}, r.receipt)
	asked := func(id, method, path, summary string) huma.Operation {
		return huma.Operation{OperationID: id, Method: method, Path: Prefix + path, Summary: summary,
			Errors: []int{400, 404, 413, 422, 502, 503, 504}, MaxBodyBytes: mostDefinitionBytes, BodyReadTimeout: readTime}
	}
	huma.Register(api, huma.Operation{OperationID: "cancel-run", Method: http.MethodPost, Path: Prefix + "/receipts/{receipt}/cancel",
		Summary: "Cancel a run that is under way", Errors: []int{400, 404, 409}}, r.cancel)
	huma.Register(api, asked("run-again", http.MethodPost, "/receipts/{receipt}/again", "Run what a receipt tells of again, and compare"), r.again)
	huma.Register(api, asked("explain-report", http.MethodPost, "/reports/{report}/explanation", "What a run would be, without running it"), r.explain)
	huma.Register(api, asked("count-matches", http.MethodPost, "/reports/{report}/matches", "How many records a run would bring"), r.matches)
	huma.Register(api, asked("show-histogram", http.MethodGet, "/reports/{report}/prompts/{prompt}/histogram", "How many records each month has, of the days that a prompt asks for"), r.histogram)
	huma.Register(api, asked("rehearse-report", http.MethodPost, "/reports/{report}/rehearsal", "What each phrase of a report means on telling days"), r.rehearse)
	huma.Register(api, asked("compare-versions", http.MethodPost, "/reports/{report}/comparison", "Two versions of a report on the same answers, row by row"), r.compare)
}

// AgainRequest is a request to run something again.
type AgainRequest struct {
	AsOf string `json:"as_of,omitempty" maxLength:"1000" doc:"The day to take for today, by the definitions of now; absent to run it as it was."`
}

func (r routes) again(ctx context.Context, in *struct {
	Receipt int64 `path:"receipt" minimum:"1" doc:"The number of the receipt."`
	Body    AgainRequest
}) (*body[run.Comparison], error) {
	return answered[run.Comparison](ctx)(r.service.Runs.Again(ctx, in.Receipt, in.Body.AsOf))
}

// answered turns what a call of the service returned into a response.
func answered[T any](ctx context.Context) func(*T, error) (*body[T], error) {
	return func(result *T, err error) (*body[T], error) {
		if err != nil {
			return nil, problemOf(ctx, err)
		}
		return &body[T]{*result}, nil
	}
}

func (r routes) explain(ctx context.Context, in *struct {
	Drafted
	Report  string `path:"report"`
	Section int    `query:"section" minimum:"1" maximum:"1000" doc:"The number of the section, from 1; the main one where it is absent."`
	Body    Asked
}) (*body[answer.Explanation], error) {
	ctx, err := r.within(ctx, in.Drafted)
	if err != nil {
		return nil, err
	}
	asked := in.Body.request()
	asked.Section = in.Section
	return answered[answer.Explanation](ctx)(r.service.Answers.Explain(ctx, in.Report, asked))
}

func (a Asked) request() answer.Request { return answer.Request{Answers: a.Answers, AsOf: a.AsOf} }

func (r routes) matches(ctx context.Context, in *struct {
	Drafted
	Report string `path:"report"`
	Body   Asked
}) (*body[answer.Matches], error) {
	ctx, err := r.within(ctx, in.Drafted)
	if err != nil {
		return nil, err
	}
	return answered[answer.Matches](ctx)(r.service.Answers.Matches(ctx, in.Report, in.Body.request()))
}

func (r routes) histogram(ctx context.Context, in *struct {
	Drafted
	Report string `path:"report"`
	Prompt string `path:"prompt"`
	Month  string `query:"month" maxLength:"20" doc:"A month, as 2026-03, whose days are counted."`
}) (*body[answer.Histogram], error) {
	ctx, err := r.within(ctx, in.Drafted)
	if err != nil {
		return nil, err
	}
	return answered[answer.Histogram](ctx)(r.service.Answers.Histogram(ctx, in.Report, in.Prompt, in.Month))
}

// RehearsalRequest is a request to work out what phrases mean.
type RehearsalRequest struct {
	Files []catalog.File `json:"files,omitempty" doc:"Definitions to try beside those that are published, or in their place; nothing is stored."`
	AsOf  []string       `json:"as_of,omitempty" maxItems:"100" doc:"The days to take for today; absent for telling ones."`
}

func (r routes) rehearse(ctx context.Context, in *struct {
	Drafted
	Report string `path:"report"`
	Body   RehearsalRequest
}) (*body[author.Rehearsal], error) {
	ctx, err := r.within(ctx, in.Drafted)
	if err != nil {
		return nil, err
	}
	return answered[author.Rehearsal](ctx)(r.service.Author.Rehearse(ctx, in.Report, author.Tried{Files: in.Body.Files, AsOf: in.Body.AsOf}))
}

// ComparisonRequest is a request to compare two versions of a report.
type ComparisonRequest struct {
	Asked
	Before []catalog.File `json:"before,omitempty" doc:"The definitions of the one version, in place of those that are published; absent for these."`
	After  []catalog.File `json:"after,omitempty" doc:"The definitions of the other version, likewise."`
}

func (r routes) compare(ctx context.Context, in *struct {
	Report string `path:"report"`
	Body   ComparisonRequest
}) (*body[run.Comparison], error) {
	return answered[run.Comparison](ctx)(r.service.Runs.Compare(ctx, in.Report,
		run.Versions{Request: in.Body.request(), Before: in.Body.Before, After: in.Body.After}))
}

// ReceiptList is a page of receipts.
type ReceiptList struct {
	Receipts []receipt.Receipt `json:"receipts" doc:"The latest first, without their SQL, revisions and evidence."`
	More     bool              `json:"more" doc:"Whether there are further ones."`
}

func (r routes) history(ctx context.Context, in *struct {
	Report string `query:"report" maxLength:"200" doc:"Name of the report."`
	Person string `query:"person" maxLength:"200" doc:"Who ran it."`
	State  state  `query:"state" doc:"How it ended."`
	Day    string `query:"day" maxLength:"1000" doc:"The day on which it started, in any form that a day is read in."`
	Before int64  `query:"before" minimum:"0" doc:"The number that the receipts are below, for the next page."`
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"50" doc:"Most receipts."`
}) (*body[ReceiptList], error) {
	all, more, err := r.service.Runs.History(ctx, receipt.Wanted{Report: in.Report, Person: in.Person, State: receipt.State(in.State), Day: in.Day, Before: in.Before, Most: in.Limit})
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[ReceiptList]{ReceiptList{Receipts: all, More: more}}, nil
}

func (r routes) receipt(ctx context.Context, in *struct {
	Receipt int64 `path:"receipt" minimum:"1" doc:"Its number."`
}) (*body[receipt.Receipt], error) {
	return answered[receipt.Receipt](ctx)(r.service.Runs.Receipt(ctx, in.Receipt))
}

func (r routes) cancel(ctx context.Context, in *struct {
	Receipt int64 `path:"receipt" minimum:"1" doc:"Its number."`
}) (*body[receipt.Receipt], error) {
	return answered[receipt.Receipt](ctx)(r.service.Runs.Cancel(ctx, in.Receipt))
}
