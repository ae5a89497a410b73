package api

import (
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/base"
	"pikegate/internal/service/schedule"
	"pikegate/internal/standin"
)

func (r routes) registerSchedules(api huma.API) {
	about := func(id, method, path, summary string, errors ...int) huma.Operation {
		return huma.Operation{OperationID: id, Method: method, Path: Prefix + path, Summary: summary, Errors: append([]int{400}, errors...), MaxBodyBytes: 64 << 10, BodyReadTimeout: readTime, DefaultStatus: http.StatusOK}
	}
	huma.Register(api, about("list-schedules", http.MethodGet, "/schedules", "The schedules of who asks, of all for developers; each with its next ten times and its last"), r.schedules)
	huma.Register(api, about("show-schedule", http.MethodGet, "/schedules/{schedule}", "A schedule with its next ten times and what became of the last ones", 404), r.schedule)
	huma.Register(api, about("set-schedule", http.MethodPut, "/schedules/{schedule}", "Make a schedule of one's own, or put it in the place of the one of its name", 409, 422), r.setSchedule)
	huma.Register(api, about("drop-schedule", http.MethodDelete, "/schedules/{schedule}", "Drop a schedule of one's own", 404, 409), r.dropSchedule)
	huma.Register(api, about("run-schedule", http.MethodPost, "/schedules/{schedule}/runs", "Run a schedule now, beside its times", 404, 422), r.runSchedule)
	huma.Register(api, about("list-mail", http.MethodGet, "/mail", "The mails that the mail stand-in keeps, the latest first", 404), r.keptMails)
	huma.Register(api, about("show-mail", http.MethodGet, "/mail/{mail}", "A mail that the mail stand-in keeps", 404), r.keptMail)
}

// ScheduleList is schedules.
type ScheduleList struct {
	Schedules []schedule.ScheduleInfo `json:"schedules" doc:"By name."`
}

func (r routes) schedules(ctx context.Context, _ *struct{}) (*body[ScheduleList], error) {
	all, err := r.service.Schedules.List(ctx)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[ScheduleList]{ScheduleList{all}}, nil
}

// OfSchedule names a schedule in a path.
type OfSchedule struct {
	Schedule string `path:"schedule" maxLength:"100" doc:"Its name."`
}

func (r routes) schedule(ctx context.Context, in *OfSchedule) (*body[schedule.ScheduleInfo], error) {
	return answered[schedule.ScheduleInfo](ctx)(r.service.Schedules.Show(ctx, in.Schedule))
}

// NewSchedule is a schedule of one's own to be made.
type NewSchedule struct {
	Report  string                    `json:"report" maxLength:"100" doc:"Name of the report."`
	Answers map[string]prompt.Entered `json:"answers,omitempty" doc:"Answers by prompt; an absent one takes its default."`
	At      string                    `json:"at" maxLength:"300" doc:"When, such as weekdays at 06:30."`
	Zone    string                    `json:"zone,omitempty" maxLength:"100" doc:"IANA zone whose clocks show the times; that of the report where absent."`
	Missed  string                    `json:"missed,omitempty" enum:"once,skip" doc:"What becomes of times that pass while the service is down; once where absent."`
	Mail    NewMail                   `json:"mail" doc:"Who gets the result."`
}

// NewMail is who gets a result by mail.
type NewMail struct {
	To     []string `json:"to" minItems:"1" maxItems:"100" doc:"Their addresses."`
	Attach []string `json:"attach,omitempty" maxItems:"5" enum:"csv,xlsx,pdf,json,ndjson" doc:"The formats in which the result is attached."`
	When   string   `json:"when,omitempty" maxLength:"40" doc:"On which results: always, records, changed, or records more than 10; always where absent."`
}

// text is the schedule as its file would have it. JSON is YAML.
func (n NewSchedule) text(name string) (string, error) {
	text, err := json.Marshal(struct {
		Format   int                       `json:"pikegate"`
		Schedule string                    `json:"schedule"`
		Report   string                    `json:"report"`
		Answers  map[string]prompt.Entered `json:"answers,omitempty"`
		At       string                    `json:"at"`
		Zone     string                    `json:"zone,omitempty"`
		Missed   string                    `json:"missed,omitempty"`
		Send     []any                     `json:"send"`
	}{1, name, n.Report, n.Answers, n.At, n.Zone, n.Missed, []any{map[string]any{"mail": n.Mail}}})
	return string(text), err
}

func (r routes) setSchedule(ctx context.Context, in *struct {
	OfSchedule
	Body NewSchedule
}) (*body[schedule.ScheduleInfo], error) {
	text, err := in.Body.text(in.Schedule)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return answered[schedule.ScheduleInfo](ctx)(r.service.Schedules.Set(ctx, in.Schedule, text))
}

func (r routes) dropSchedule(ctx context.Context, in *OfSchedule) (*status, error) {
	if err := r.service.Schedules.Drop(ctx, in.Schedule); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

func (r routes) runSchedule(ctx context.Context, in *OfSchedule) (*body[schedule.ScheduleInfo], error) {
	return answered[schedule.ScheduleInfo](ctx)(r.service.Schedules.RunNow(ctx, in.Schedule))
}

// MailList is mails that were kept.
type MailList struct {
	Mails []standin.KeptMail `json:"mails" doc:"The latest first."`
}

// mostMails is how many mails are listed.
const mostMails = 200

func (r routes) keptMails(ctx context.Context, _ *struct{}) (*body[MailList], error) {
	if r.service.Base.Config().KeptMail == "" {
		return nil, problemOf(ctx, noStandin())
	}
	all, err := standin.List(r.service.Base.Config().KeptMail, mostMails)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[MailList]{MailList{all}}, nil
}

func noStandin() error {
	return &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownMail, "this service has no mail stand-in: its mails go to a mail server, or nowhere")}}
}

func (r routes) keptMail(ctx context.Context, in *struct {
	Mail string `path:"mail" maxLength:"100" doc:"The name of its file."`
}) (*body[standin.KeptMail], error) {
	if r.service.Base.Config().KeptMail == "" {
		return nil, problemOf(ctx, noStandin())
	}
	k, err := standin.Read(r.service.Base.Config().KeptMail, in.Mail)
	if errors.Is(err, fs.ErrNotExist) {
		err = &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownMail, "the mail stand-in has no such mail")}}
	}
	return answered[standin.KeptMail](ctx)(k, err)
}
