package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/readback"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
)

// ReportSummary is a report as it stands in a list.
type ReportSummary struct {
	Name  string `json:"name" doc:"What calls and commands name it by."`
	Title string `json:"title" doc:"What people read."`
	About string `json:"about" doc:"What it is for; may be empty."`
	Shelf string `json:"shelf" doc:"The heading that it is found under; may be empty."`
	// Revision tells who has seen it before whether it is another one now.
	Revision int `json:"revision" doc:"The number of its published revision."`
}

func (r routes) summary(of *catalog.Report) ReportSummary {
	revision := r.service.Base.Published.Load().Revisions[catalog.Ref{Kind: catalog.KindReport, Name: of.Name}]
	return ReportSummary{Name: of.Name, Title: of.Title, About: of.About, Shelf: of.Shelf, Revision: revision}
}

// Offer is a period that a prompt offers.
type Offer struct {
	Phrase  string     `json:"phrase" doc:"What an answer gives."`
	Spelled string     `json:"spelled,omitempty" doc:"The days that it stands for on the as-of day."`
	Days    string     `json:"days,omitempty" doc:"The same days, short enough for a button."`
	First   *civil.Day `json:"first,omitempty" doc:"First day, included."`
	Last    *civil.Day `json:"last,omitempty" doc:"Last day, included."`
	Refused string     `json:"refused,omitempty" doc:"Why it cannot be taken on this as-of day."`
}

// PromptInfo is a question with all that a form needs to ask it.
type PromptInfo struct {
	Name        string          `json:"name" doc:"What an answer names it by."`
	Ask         string          `json:"ask" doc:"The question."`
	Help        string          `json:"help,omitempty" doc:"More about it."`
	Labels      []string        `json:"labels" doc:"The words above its one or two fields, as in after, that day left out; empty where the question says enough."`
	Type        string          `json:"type" doc:"The kind of answer."`
	Required    bool            `json:"required" doc:"Whether some answer must be given."`
	Default     prompt.Entered  `json:"default" doc:"What is taken where no answer is given; null for none."`
	Pair        bool            `json:"pair,omitempty" doc:"Whether a first and a last month, quarter or year are asked for."`
	Open        string          `json:"open,omitempty" doc:"Which sides of a period may be left open."`
	Earliest    string          `json:"earliest,omitempty" doc:"Earliest day, a date or a phrase; for moments and units one of those."`
	Latest      string          `json:"latest,omitempty" doc:"Latest day, likewise."`
	Longest     string          `json:"longest,omitempty" doc:"The longest period."`
	Shortest    string          `json:"shortest,omitempty" doc:"The shortest period."`
	Offers      []Offer         `json:"offers,omitempty" doc:"Periods to pick from."`
	Units       []Offer         `json:"units,omitempty" doc:"Months, quarters or years that the data have, the latest first."`
	Least       string          `json:"least,omitempty" doc:"The least number."`
	Most        string          `json:"most,omitempty" doc:"The greatest number."`
	Unit        string          `json:"unit,omitempty" doc:"Unit of the number."`
	MostLetters int             `json:"most_letters,omitempty" doc:"The most letters of a text."`
	PatternHelp string          `json:"pattern_help,omitempty" doc:"What a text must look like, in words."`
	Many        bool            `json:"many,omitempty" doc:"Whether several choices may be given."`
	AtLeast     int             `json:"at_least,omitempty" doc:"How many choices or days at least."`
	AtMost      int             `json:"at_most,omitempty" doc:"How many choices or days at most."`
	Choices     []prompt.Option `json:"choices,omitempty" doc:"The choices, where they stand in the definition."`
	Listed      bool            `json:"listed,omitempty" doc:"Whether the choices come from the data and are asked for apart."`
}

// ReportInfo is a report with its questions.
type ReportInfo struct {
	ReportSummary
	AsOf    civil.Day       `json:"as_of" format:"date" doc:"The day taken for today."`
	Zone    string          `json:"zone" doc:"IANA zone that days are taken in."`
	Clock   string          `json:"clock" doc:"What people call that zone's time."`
	Records string          `json:"records" doc:"What its records are called."`
	Prompts []PromptInfo    `json:"prompts" doc:"The questions, in the order in which they are asked."`
	Columns []export.Column `json:"columns" doc:"The columns of its main section: the first table of records, else the first table, else the first section."`
	// Sections say what a run of them all will bring.
	Sections []SectionInfo `json:"sections" doc:"What it shows, in order."`
	Main     int           `json:"main" doc:"The number of its main section."`
}

// SectionInfo is a section of a report.
type SectionInfo struct {
	export.Head
	ReaderMay []string        `json:"reader_may,omitempty" doc:"What a reader may change of a table: columns, sort, group."`
	Offers    []export.Column `json:"offers,omitempty" doc:"Columns that a reader may add."`
}

// Asked is a request with answers.
type Asked struct {
	Answers map[string]prompt.Entered `json:"answers,omitempty" doc:"Answers by prompt. An absent prompt takes its default; null leaves it open on purpose."`
	AsOf    string                    `json:"as_of,omitempty" maxLength:"1000" doc:"The day to take for today, in any form that a day is read in."`
}

// EvidenceWanted is whether a run is to count its evidence: "" for not, true, or "whole" for all
// records however many there are.
type EvidenceWanted string

// What can be wanted.
const (
	UsualEvidence EvidenceWanted = "true"
	WholeEvidence EvidenceWanted = "whole"
)

var errEvidence = errors.New(`evidence is true, false or "whole"`)

// MarshalJSON writes a truth or the word.
func (e EvidenceWanted) MarshalJSON() ([]byte, error) {
	switch e {
	case "":
		return []byte("false"), nil
	case UsualEvidence:
		return []byte("true"), nil
	}
	return json.Marshal(string(e))
}

// UnmarshalJSON reads a truth or the word.
func (e *EvidenceWanted) UnmarshalJSON(text []byte) error {
	switch string(text) {
	case "false", "null":
		*e = ""
	case "true":
		*e = UsualEvidence
	case `"whole"`:
		*e = WholeEvidence
	default:
		return errEvidence
	}
	return nil
}

// Schema is a truth, or the word.
func (EvidenceWanted) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{OneOf: []*huma.Schema{{Type: huma.TypeBoolean}, {Type: huma.TypeString, Enum: []any{string(WholeEvidence)}}}}
}

// RunRequest is a request for records.
type RunRequest struct {
	Asked
	Limit int `json:"limit,omitempty" minimum:"1" maximum:"1000000000" doc:"Most rows to send; all where it is absent."`
	Skip  int `json:"skip,omitempty" minimum:"0" maximum:"1000000000" doc:"Rows to leave out first; counts only with a limit."`
	// Uncounted is for those who page and need no count.
	Uncounted bool `json:"uncounted,omitempty" doc:"Leave out how many records match beyond the limit, which has to be counted."`
	// Evidence comes after the rows: the receipt, which stands last, waits for it.
	Evidence EvidenceWanted `json:"evidence,omitempty" doc:"Count, once the rows are sent, what shows that they are right; it stands on the receipt. Of a large table what lies outside the period is told from counts that were made before; whole counts all of it."`
	View     answer.View    `json:"view,omitempty" doc:"How to show the main table, or the section that alone is wanted, where the report lets its readers choose."`
	Files    []catalog.File `json:"files,omitempty" doc:"Definitions to try beside those that are published, or in their place. Nothing is stored, and the run is not on record."`
	Of       int64          `json:"of,omitempty" minimum:"0" doc:"The receipt of a run to send rows of: with a limit a page of them, after or skip saying which; without one all. They are of the records that the run read as long as those are kept; then a page is read by its answers, and all are read by a run of its own that says whether they are the same."`
	GoOn     bool           `json:"go_on,omitempty" doc:"Go on to the end when whoever asked is gone: the rows are then found by the receipt. Only with evidence, with which rows are kept: also those of a large table that a limit leaves out, up to 20,000, which are read for that. Events begin with the number of the receipt, and tell how far the run is."`
	Follow   bool           `json:"follow,omitempty" doc:"Send the headers at once, of which Link leads to the receipt: while the run goes on that tells how far it is. What goes wrong then breaks the answer off, and the receipt tells it too."`
	After    string         `json:"after,omitempty" maxLength:"100000" doc:"Of further rows: what the page before told as next, so that they go on from its last row. Skip counts for nothing then."`
}

// Understanding is how answers are read, and what is wrong with them.
type Understanding struct {
	AsOf    civil.Day           `json:"as_of" format:"date" doc:"The day taken for today."`
	Answers []answer.Understood `json:"answers" doc:"One for each prompt, in order."`
	Errors  []fault.Fault       `json:"errors" doc:"What would be refused; empty where the answers pass."`
}

// Result is a JSON result: columns, rows in the order of the columns, and the
// receipt. A result without a receipt was cut.
type Result struct {
	Columns []export.Column `json:"columns" doc:"The columns, in the order of the values in each row."`
	Notes   []string        `json:"notes,omitempty" doc:"What is known before the rows are read and whoever reads them should know; absent where that is nothing. The receipt tells it too."`
	Rows    [][]cell        `json:"rows" doc:"The records, sorted."`
	Receipt receipt.Receipt `json:"receipt" doc:"The record of the run; always last."`
}

// SectionsResult is a JSON result of several sections. One without a receipt was cut.
type SectionsResult struct {
	Sections []SectionResult `json:"sections" doc:"In the order of the report."`
	Receipt  receipt.Receipt `json:"receipt" doc:"The record of the run; always last."`
}

// SectionResult is a section with its rows.
type SectionResult struct {
	receipt.Section
	Chart   *export.Chart   `json:"chart,omitempty" doc:"How a chart is drawn."`
	Columns []export.Column `json:"columns" doc:"The columns, in the order of the values in each row."`
	Rows    [][]cell        `json:"rows" doc:"The records, or the rows of a summary, sorted; of a figure one."`
}

// cell stands for one value in the document.
type cell struct{}

// Schema is an integer, a text, or null.
func (cell) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{
		Description: "An integer or a number as a number; yes and no as true and false; a decimal, a date (ISO 8601), an instant (RFC 3339 with the zone's offset) or a text as a string; null where the value is missing.",
		OneOf:       []*huma.Schema{{Type: huma.TypeString, Nullable: true}, {Type: huma.TypeNumber}, {Type: huma.TypeBoolean}},
	}
}

// About is what the service says of itself and of who asks.
type About struct {
	Version string   `json:"version" doc:"Version of the service; empty for somebody who has to sign in first."`
	Today   string   `json:"today,omitempty" doc:"The day that the service was told to take for today; absent where it goes by the clock."`
	Person  string   `json:"person" doc:"Who asks; empty for somebody who has to sign in first."`
	Notice  string   `json:"notice,omitempty" doc:"What whoever keeps the service should know; absent where that is nothing."`
	Role    string   `json:"role" enum:",reader,developer,admin" doc:"What they may do; empty for somebody who has to sign in first."`
	Groups  []string `json:"groups" doc:"The groups that they are in."`
	SignIn  bool     `json:"sign_in" doc:"Whether one has to sign in."`
	OpenID  string   `json:"openid,omitempty" doc:"The host of the provider that one may sign in at by OpenID Connect; absent where there is none."`
}

type status struct {
	Body struct {
		Status string `json:"status" enum:"ok" doc:"Always ok."`
	}
}

type body[T any] struct{ Body T }

func ok() *status {
	s := &status{}
	s.Body.Status = "ok"
	return s
}

func (r routes) register(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "health", Method: http.MethodGet, Path: "/healthz", Summary: "Is the service running?"},
		func(context.Context, *struct{}) (*status, error) { return ok(), nil })
	huma.Register(api, huma.Operation{OperationID: "ready", Method: http.MethodGet, Path: "/readyz", Summary: "Can the service do its work?", Errors: []int{503}},
		func(ctx context.Context, _ *struct{}) (*status, error) {
			if err := r.service.Base.Ready(ctx); err != nil {
				return nil, newProblem(http.StatusServiceUnavailable, fault.Failed, "the service's own records cannot be read, or there is no room for more of them")
			}
			return ok(), nil
		})
	huma.Register(api, huma.Operation{OperationID: "about", Method: http.MethodGet, Path: Prefix + "/about", Summary: "The service, and who asks"}, r.about)
	huma.Register(api, huma.Operation{OperationID: "read-line", Method: http.MethodPost, Path: Prefix + "/line", Summary: "Read a line such as \"late sailings last month\": the report that it means, and the answers in it; nothing is run", Errors: []int{400, 413}}, r.line)
	huma.Register(api, huma.Operation{OperationID: "list-reports", Method: http.MethodGet, Path: Prefix + "/reports", Summary: "List reports by shelf and title", Errors: []int{400}}, r.reports)
	huma.Register(api, huma.Operation{OperationID: "show-report", Method: http.MethodGet, Path: Prefix + "/reports/{report}", Summary: "A report with its questions", Errors: []int{400, 404}}, r.report)
	huma.Register(api, huma.Operation{OperationID: "understand-answers", Method: http.MethodPost, Path: Prefix + "/reports/{report}/answers",
		Summary: "Read answers and run nothing", Errors: []int{400, 404, 413}, MaxBodyBytes: mostRunBytes, BodyReadTimeout: readTime}, r.understand)
	huma.Register(api, huma.Operation{OperationID: "list-choices", Method: http.MethodPost, Path: Prefix + "/reports/{report}/prompts/{prompt}/choices",
		Summary: "What a prompt offers, narrowed by the answers so far", Errors: []int{400, 404, 413, 502, 504}, MaxBodyBytes: mostRunBytes, BodyReadTimeout: readTime}, r.choices)
	r.registerDefinitions(api)
	r.registerSources(api)
	r.registerLoads(api)
	r.registerReceipts(api)
	r.registerDrafts(api)
	r.registerSaved(api)
	r.registerPeople(api)
	r.registerOpenID(api)
	r.registerSchedules(api)
	r.registerMetrics(api)
	r.registerBackup(api)
	run := huma.Operation{OperationID: "run-report", Method: http.MethodPost, Path: Prefix + "/reports/{report}/runs",
		Summary: "Run a report and send its records", Errors: []int{400, 404, 406, 409, 413, 502, 504}, MaxBodyBytes: mostRunBytes, BodyReadTimeout: readTime}
	run.Responses = map[string]*huma.Response{"200": {Description: "The records. The header Link leads to the receipt, as describedby.", Content: resultContent(api.OpenAPI().Components.Schemas)}}
	huma.Register(api, run, r.run)
}

// resultContent documents the formats of a result, each under its media type.
func resultContent(schemas huma.Registry) map[string]*huma.MediaType {
	text := func(about string) *huma.MediaType {
		return &huma.MediaType{Schema: &huma.Schema{Type: huma.TypeString, Description: about}}
	}
	return map[string]*huma.MediaType{
		"application/json":             {Schema: &huma.Schema{OneOf: []*huma.Schema{schemas.Schema(reflect.TypeFor[Result](), true, "Result"), schemas.Schema(reflect.TypeFor[SectionsResult](), true, "SectionsResult")}}},
		"text/csv":                     text("RFC 4180: a header of column names, lines that end in CRLF, a missing value as an empty field, empty text as two quotes."),
		"application/x-ndjson":         text("One object a line, its members by column name."),
		export.MediaTypes[export.XLSX]: {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary", Description: "A workbook: a sheet for each section, and one named About."}},
		export.MediaTypes[export.PDF]:  {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary", Description: "What ran on the first page, then the sections, figures and charts drawn."}},
	}
}

func (r routes) about(ctx context.Context, _ *struct{}) (*body[About], error) {
	person := base.PersonOf(ctx)
	told := About{Person: person.Name, Role: person.Role, Groups: append([]string{}, person.Groups...), SignIn: r.service.People.On(), OpenID: r.service.People.Provider()}
	if person.Name != "" {
		told.Version, told.Today, told.Notice = Version, r.service.Base.FixedToday().String(), r.service.Receipts.Notice(ctx)
	}
	if r.limits.Load().Open {
		told.Notice = strings.TrimPrefix(told.Notice+"; everybody who reaches this service may do everything", "; ")
	}
	return &body[About]{told}, nil
}

// ReportList is the reports that were found.
type ReportList struct {
	Reports []ReportSummary `json:"reports" doc:"By shelf, then title."`
}

func (r routes) reports(ctx context.Context, in *struct {
	Search string `query:"search" maxLength:"200" doc:"Words that a report's name, title, purpose, shelf, columns, questions or choices must hold; where none holds one, slips of the keys are forgiven."`
}) (*body[ReportList], error) {
	found := r.service.Base.Reports(ctx, in.Search)
	out := &body[ReportList]{}
	out.Body.Reports = make([]ReportSummary, len(found))
	for i, report := range found {
		out.Body.Reports[i] = r.summary(report)
	}
	return out, nil
}

// LineText is a line to read.
type LineText struct {
	Text string `json:"text" doc:"A report, and answers to what it asks, in any order: late sailings last month outer loop."`
	AsOf string `json:"as_of,omitempty" maxLength:"1000" doc:"The day to take for today."`
}

func (r routes) line(ctx context.Context, in *struct{ Body LineText }) (*body[answer.Line], error) {
	return answered[answer.Line](ctx)(r.service.Answers.Line(ctx, in.Body.Text, in.Body.AsOf))
}

func (r routes) report(ctx context.Context, in *struct {
	Drafted
	Report string `path:"report"`
	AsOf   string `query:"as_of" maxLength:"1000" doc:"The day to take for today."`
}) (*body[ReportInfo], error) {
	ctx, err := r.within(ctx, in.Drafted)
	if err != nil {
		return nil, err
	}
	on, err := r.service.Answers.ReportOn(ctx, in.Report, in.AsOf)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	of := on.Main().Query.Of
	info := ReportInfo{ReportSummary: r.summary(on.Report), AsOf: on.AsOf, Zone: of.Source.Zone.String(), Clock: of.Source.Clock, Records: of.Title,
		Prompts: make([]PromptInfo, len(on.Prompts)), Columns: export.Columns(on.Main().Shown(), of.Source.Zone)}
	info.Main = 1 + slices.Index(on.Sections, on.Main())
	for i, s := range on.Sections {
		section := SectionInfo{Head: run.HeadOf(i+1, s, of.Source.Zone), Offers: export.Columns(s.Offers, of.Source.Zone)}
		for _, f := range s.ReaderMay {
			section.ReaderMay = append(section.ReaderMay, string(f))
		}
		info.Sections = append(info.Sections, section)
	}
	for i, p := range on.Prompts {
		info.Prompts[i] = promptInfo(p, on.Offers[p.Name], on.Units[p.Name])
		asked := on.Asked(p)
		info.Prompts[i].Ask, info.Prompts[i].Help, info.Prompts[i].Labels = asked.Ask, asked.Help, readback.Labels(on.OpOf(p), p)
	}
	return &body[ReportInfo]{info}, nil
}

func promptInfo(p *prompt.Prompt, offers, units []prompt.OfferedPeriod) PromptInfo {
	info := PromptInfo{Name: p.Name, Ask: p.Ask, Help: p.Help, Type: string(p.Type), Required: p.Required, Default: p.Default, Open: string(p.Open), Pair: p.Pair,
		Earliest: p.Earliest, Latest: p.Latest, Unit: p.Unit, Many: p.Many, AtLeast: p.AtLeast, AtMost: p.AtMost, Choices: p.Choices, MostLetters: p.MostLetters, PatternHelp: p.PatternHelp, Listed: p.Listed}
	if p.Longest.N > 0 {
		info.Longest = p.Longest.String()
	}
	if p.Shortest.N > 0 {
		info.Shortest = p.Shortest.String()
	}
	if p.Least != nil {
		info.Least = p.Least.String()
	}
	if p.Most != nil {
		info.Most = p.Most.String()
	}
	info.Offers, info.Units = offersOf(offers), offersOf(units)
	return info
}

func offersOf(offers []prompt.OfferedPeriod) []Offer {
	var all []Offer
	for _, o := range offers {
		offer := Offer{Phrase: o.Phrase}
		if o.Refused != nil {
			offer.Refused = o.Refused.Sentence()
		} else {
			offer.Spelled, offer.Days = o.Answer.Spelled(), o.Answer.Brief()
			offer.First, offer.Last = o.Answer.Period.Ends()
		}
		all = append(all, offer)
	}
	return all
}

func (r routes) understand(ctx context.Context, in *struct {
	Drafted
	Report string `path:"report"`
	Body   Asked
}) (*body[Understanding], error) {
	ctx, err := r.within(ctx, in.Drafted)
	if err != nil {
		return nil, err
	}
	reading, err := r.service.Answers.Understand(ctx, in.Report, in.Body.request())
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[Understanding]{Understanding{AsOf: reading.AsOf, Answers: reading.Answers, Errors: values(reading.Refused)}}, nil
}

// values are the faults of a list, never nil, so that JSON has a list.
func values(faults fault.List) []fault.Fault {
	all := make([]fault.Fault, len(faults))
	for i, f := range faults {
		all[i] = *f
	}
	return all
}

// ChoicesRequest is a request for choices.
type ChoicesRequest struct {
	Asked
	Search string `json:"search,omitempty" maxLength:"200" doc:"What a label holds, in any case."`
	Limit  int    `json:"limit,omitempty" minimum:"1" maximum:"1000" doc:"Most choices; 50 where it is absent."`
	Skip   int    `json:"skip,omitempty" minimum:"0" maximum:"1000000000" doc:"Choices to leave out first."`
}

// ChoiceList is a page of choices.
type ChoiceList struct {
	Choices []answer.Choice `json:"choices" doc:"By label."`
	More    bool            `json:"more" doc:"Whether there are further ones."`
}

func (r routes) choices(ctx context.Context, in *struct {
	Drafted
	Report string `path:"report"`
	Prompt string `path:"prompt"`
	Body   ChoicesRequest
}) (*body[ChoiceList], error) {
	ctx, err := r.within(ctx, in.Drafted)
	if err != nil {
		return nil, err
	}
	b := in.Body
	if b.Limit == 0 {
		b.Limit = 50
	}
	list, more, err := r.service.Answers.Choices(ctx, in.Report, in.Prompt, answer.ChoicesRequest{
		Request: answer.Request{Answers: b.Answers, AsOf: b.AsOf, Limit: b.Limit, Skip: b.Skip}, Search: b.Search})
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	if list == nil {
		list = []answer.Choice{}
	}
	return &body[ChoiceList]{ChoiceList{Choices: list, More: more}}, nil
}

func (r routes) run(ctx context.Context, in *struct {
	Drafted
	Report  string `path:"report"`
	Output  string `query:"output" maxLength:"100" doc:"The format: json, csv, ndjson, xlsx, pdf or events; that of the header Accept where it is absent, else JSON. Another one is refused with 406."`
	Section int    `query:"section" minimum:"1" maximum:"1000" doc:"The number of the section that alone is wanted, from 1. Without it JSON, XLSX and PDF have all sections, and CSV and NDJSON the only table."`
	CSVChoices
	Accept string `header:"Accept"`
	Body   RunRequest
}) (*huma.StreamResponse, error) {
	ctx, err := r.within(ctx, in.Drafted)
	if err != nil {
		return nil, err
	}
	if len(in.Body.Files) > 0 {
		if p := r.may(ctx, base.Developer, "try definitions"); p != nil {
			return nil, p
		}
	}
	format, err := formatOf(in.Output, in.Accept)
	if err != nil {
		return nil, err
	}
	form, err := in.CSVChoices.form(format)
	if err != nil {
		return nil, err
	}
	section := in.Section
	if section == 0 && (format == export.CSV || format == export.NDJSON) {
		section = answer.OnlyTable
	}
	run, err := r.service.Runs.Prepare(ctx, in.Report, answer.Request{Section: section, View: in.Body.View, Answers: in.Body.Answers, AsOf: in.Body.AsOf,
		Limit: in.Body.Limit, Skip: in.Body.Skip, Uncounted: in.Body.Uncounted, Evidence: in.Body.Evidence != "", Whole: in.Body.Evidence == WholeEvidence, Keep: in.Body.GoOn, Files: in.Body.Files, Of: in.Body.Of, After: in.Body.After})
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	if format != export.JSON && format != export.Events {
		r.service.People.Done(ctx, "export", fmt.Sprintf("%s as %s, receipt %d", in.Report, format, run.ID()))
	}
	return r.sent(ctx, run, sentAs{format: format, form: form, follow: in.Body.Follow, goesOn: in.Body.GoOn && in.Body.Evidence != ""}), nil
}
