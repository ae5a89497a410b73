package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/load"
	"pikegate/internal/service/author"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// Problem is an RFC 9457 problem document. All that a person can mend stands
// in Errors.
type Problem struct {
	Type   string     `json:"type" doc:"Always about:blank; the code tells problems apart."`
	Title  string     `json:"title" doc:"The status in words."`
	Status int        `json:"status" doc:"The HTTP status."`
	Code   fault.Code `json:"code" doc:"What went wrong, as a word for programs."`
	Detail string     `json:"detail" doc:"What went wrong, in a sentence."`
	// Instance is where the receipt of the run lies.
	Instance string        `json:"instance,omitempty" doc:"Where the receipt lies that tells of this run; absent where nothing was to be run."`
	Errors   []fault.Fault `json:"errors,omitempty" doc:"Each thing to mend, all at once."`
	SQLState string        `json:"sqlstate,omitempty" doc:"The SQLSTATE that the database failed with; absent where there is none."`
}

// Error is the detail.
func (p *Problem) Error() string { return p.Detail }

// GetStatus is the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is that of RFC 9457.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

func newProblem(status int, code fault.Code, detail string) *Problem {
	return &Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Code: code, Detail: detail}
}

// requestProblem is what the API library calls with what is wrong with a
// request as such: its shape, its size, its media type.
func requestProblem(status int, detail string, errs ...error) huma.StatusError {
	code := fault.InvalidRequest
	switch status {
	case http.StatusRequestEntityTooLarge:
		code = fault.TooLarge
	case http.StatusRequestTimeout:
		code = fault.TooSlow
	case http.StatusInternalServerError:
		code = fault.Failed
	case http.StatusUnprocessableEntity:
		// 422 is for answers and definitions that were read and refused.
		status = http.StatusBadRequest
	}
	if detail == "validation failed" {
		detail = "the request does not have the shape that " + Prefix + "/openapi.json describes"
	}
	p := newProblem(status, code, detail)
	for _, err := range errs {
		if err == nil {
			continue
		}
		f := fault.New(code, "%s", err)
		var d huma.ErrorDetailer
		if errors.As(err, &d) {
			at := d.ErrorDetail()
			f.Message = fmt.Sprintf("%s: %s", at.Location, at.Message)
			if at.Location == "body.evidence" {
				f.Message = errEvidence.Error()
			}
			if name, ok := strings.CutPrefix(at.Location, "body.answers."); ok {
				f.Message = prompt.ErrShape.Error()
				f.Place.Prompt = name
			}
		}
		p.Errors = append(p.Errors, *f)
	}
	return p
}

// problemOf turns an error of the service into its problem document.
func problemOf(ctx context.Context, err error) *Problem {
	p := problem(ctx, err)
	var run *receipt.RunError
	if errors.As(err, &run) {
		note(ctx, run.Receipt)
		p.Instance = receiptPath(run.Receipt)
	}
	return p
}

func problem(ctx context.Context, err error) *Problem {
	var refusal *base.Refusal
	var file *load.Error
	var failed *base.SourceError
	var large *base.TooLarge
	var stopped *receipt.Stopped
	switch {
	case errors.As(err, &large):
		return newProblem(http.StatusRequestEntityTooLarge, fault.TooLarge, large.Error())
	case errors.Is(err, author.ErrUploads):
		return newProblem(http.StatusServiceUnavailable, fault.Busy, err.Error()+"; try again in a moment")
	case errors.Is(err, os.ErrDeadlineExceeded):
		return newProblem(http.StatusRequestTimeout, fault.TooSlow, "the request did not come in time; nothing was done")
	case errors.As(err, &refusal):
		return refused(refusal)
	case errors.As(err, &file):
		return refusedFile(file)
	case errors.As(err, &stopped):
		return newProblem(http.StatusConflict, fault.Cancelled, stopped.Error()+"; there is no result")
	case errors.Is(err, context.Canceled):
		return newProblem(http.StatusServiceUnavailable, fault.Cancelled, "whoever asked went away, so that nothing was done") // which nobody reads
	case errors.Is(err, base.ErrTime):
		return newProblem(http.StatusGatewayTimeout, fault.CutByTime, err.Error()+"; ask for fewer days, or run it again later")
	case errors.As(err, &failed):
		logOf(ctx).ErrorContext(ctx, "a source failed", "source", failed.Source, "error", failed.Err)
		own := &source.Error{Trouble: source.Other}
		errors.As(err, &own)
		status, code := http.StatusBadGateway, fault.SourceFailed
		switch own.Trouble {
		case source.Full:
			status, code = http.StatusServiceUnavailable, fault.SourceBusy
		case source.TooLong:
			status, code = http.StatusGatewayTimeout, fault.CutByTime
		}
		p := newProblem(status, code, failed.Error()+"; "+own.Trouble.Advice())
		p.SQLState = own.Code
		return p
	case errors.Is(err, store.ErrNoRoom):
		logOf(ctx).ErrorContext(ctx, "a run could not be put on record", "error", err)
		return newProblem(http.StatusInsufficientStorage, fault.NoRoom, store.ErrNoRoom.Error()+"; nothing was run. Tell whoever keeps the service")
	case errors.Is(err, load.ErrNoRoom):
		logOf(ctx).ErrorContext(ctx, "a load failed", "error", err)
		return newProblem(http.StatusInsufficientStorage, fault.NoRoom, load.ErrNoRoom.Error()+"; nothing was loaded. Make room, and load the file again")
	case errors.Is(err, receipt.ErrSize):
		return newProblem(http.StatusUnprocessableEntity, fault.CutBySize, err.Error()+"; ask for fewer days")
	}
	logOf(ctx).ErrorContext(ctx, "a request failed", "error", err)
	return newProblem(http.StatusInternalServerError, fault.Failed, "the service failed to do this; its log has the cause")
}

func refused(r *base.Refusal) *Problem {
	status, detail := http.StatusUnprocessableEntity, ""
	switch r.Kind {
	case fault.DefinitionInError:
		detail = "the definition of this report is in error, so that nothing was run: " + r.Faults[0].Sentence()
	case fault.SignInRefused:
		status, detail = http.StatusUnauthorized, r.Faults[0].Sentence()
	case fault.PersonRefused:
		detail = r.Faults[0].Sentence()
	case fault.RightMissing:
		status, detail = http.StatusForbidden, r.Faults[0].Sentence()
	case fault.Unknown:
		status, detail = http.StatusNotFound, r.Faults[0].Sentence()
	case fault.LinkRevoked:
		status, detail = http.StatusGone, r.Faults[0].Sentence()
	case fault.Conflict:
		status, detail = http.StatusConflict, r.Faults[0].Sentence()
	case fault.AnswersRefused:
		detail = count(len(r.Faults), "answer was refused", "answers were refused") + "; nothing was run"
	case fault.LoadRefused:
		detail = r.Faults[0].Message
	case fault.DefinitionsRefused:
		detail = count(len(r.Faults), "thing is wrong with the definitions", "things are wrong with the definitions") + "; nothing was stored"
	}
	p := newProblem(status, r.Kind, detail)
	for _, f := range r.Faults.Capped(fault.Most) {
		p.Errors = append(p.Errors, *f)
	}
	return p
}

// refusedFile tells each row that does not fit, as far as they were kept.
func refusedFile(e *load.Error) *Problem {
	p := newProblem(http.StatusUnprocessableEntity, fault.LoadRefused, e.Message)
	if e.Report == nil {
		p.Errors = append(p.Errors, *fault.New(e.Code, "%s", e.Message))
		return p
	}
	for _, r := range e.Report.Refused {
		p.Errors = append(p.Errors, *fault.New(e.Code, "line %d: %s", r.Line, r.Reason).At(fault.Place{Line: r.Line}))
	}
	return p
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
