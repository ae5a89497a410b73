package api

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
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

// The codes of problems, beside those of package service.
const (
	InvalidRequest = "invalid_request"
	NotFound       = "not_found"
	TooLarge       = "too_large"
	NoRoom         = "no_room"
	Busy           = "busy"
	TooSlow        = "too_slow"
	Forbidden      = "forbidden"
	WrongHost      = "wrong_host"
	SourceFailed   = "source_failed"
	SourceBusy     = "source_busy"
	CutByTime      = "cut_by_time"
	CutBySize      = "cut_by_size"
	Cancelled      = "cancelled"
	Failed         = "failed"
)

// Problem is an RFC 9457 problem document. All that a person can mend stands
// in Errors.
type Problem struct {
	Type   string `json:"type" doc:"Always about:blank; the code tells problems apart."`
	Title  string `json:"title" doc:"The status in words."`
	Status int    `json:"status" doc:"The HTTP status."`
	Code   string `json:"code" doc:"What went wrong, as a word for programs."`
	Detail string `json:"detail" doc:"What went wrong, in a sentence."`
	// Instance is where the receipt of the run lies.
	Instance string        `json:"instance,omitempty" doc:"Where the receipt lies that tells of this run; absent where nothing was to be run."`
	Errors   []fault.Fault `json:"errors,omitempty" doc:"Each thing to mend, all at once."`
}

// Error is the detail.
func (p *Problem) Error() string { return p.Detail }

// GetStatus is the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is that of RFC 9457.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

func newProblem(status int, code, detail string) *Problem {
	return &Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Code: code, Detail: detail}
}

// requestProblem is what the API library calls with what is wrong with a
// request as such: its shape, its size, its media type.
func requestProblem(status int, detail string, errs ...error) huma.StatusError {
	code := InvalidRequest
	switch status {
	case http.StatusRequestEntityTooLarge:
		code = TooLarge
	case http.StatusRequestTimeout:
		code = TooSlow
	case http.StatusInternalServerError:
		code = Failed
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
		p.Instance = receiptPath(run.Receipt)
	}
	return p
}

func problem(ctx context.Context, err error) *Problem {
	var refusal *base.Refusal
	var file *load.Error
	var failed *base.SourceError
	var large *base.TooLarge
	switch {
	case errors.As(err, &large):
		return newProblem(http.StatusRequestEntityTooLarge, TooLarge, large.Error())
	case errors.Is(err, author.ErrUploads):
		return newProblem(http.StatusServiceUnavailable, Busy, err.Error()+"; try again in a moment")
	case errors.Is(err, os.ErrDeadlineExceeded):
		return newProblem(http.StatusRequestTimeout, TooSlow, "the request did not come in time; nothing was done")
	case errors.As(err, &refusal):
		return refused(refusal)
	case errors.As(err, &file):
		return refusedFile(file)
	case errors.Is(err, context.Canceled):
		return newProblem(http.StatusServiceUnavailable, Cancelled, "whoever asked went away, so that nothing was done") // which nobody reads
	case errors.Is(err, base.ErrTime):
		return newProblem(http.StatusGatewayTimeout, CutByTime, err.Error()+"; ask for fewer days, or run it again later")
	case errors.As(err, &failed):
		slog.ErrorContext(ctx, "a source failed", "source", failed.Source, "error", failed.Err)
		kind := source.Other
		if own := (*source.Error)(nil); errors.As(err, &own) {
			kind = own.Kind
		}
		switch detail := failed.Error() + "; " + string(kind); kind {
		case source.Full:
			return newProblem(http.StatusServiceUnavailable, SourceBusy, detail)
		case source.TooLong:
			return newProblem(http.StatusGatewayTimeout, CutByTime, detail)
		default:
			return newProblem(http.StatusBadGateway, SourceFailed, detail)
		}
	case errors.Is(err, store.ErrNoRoom):
		slog.ErrorContext(ctx, "a run could not be put on record", "error", err)
		return newProblem(http.StatusInsufficientStorage, NoRoom, store.ErrNoRoom.Error()+"; nothing was run. Tell whoever keeps the service")
	case errors.Is(err, load.ErrNoRoom):
		slog.ErrorContext(ctx, "a load failed", "error", err)
		return newProblem(http.StatusInsufficientStorage, NoRoom, load.ErrNoRoom.Error()+"; nothing was loaded. Make room, and load the file again")
	case errors.Is(err, receipt.ErrSize):
		return newProblem(http.StatusUnprocessableEntity, CutBySize, err.Error()+"; ask for fewer days")
	}
	slog.ErrorContext(ctx, "a request failed", "error", err)
	return newProblem(http.StatusInternalServerError, Failed, "the service failed to do this; its log has the cause")
}

func refused(r *base.Refusal) *Problem {
	status, detail := http.StatusUnprocessableEntity, ""
	switch r.Kind {
	case base.DefinitionInError:
		detail = "the definition of this report is in error, so that nothing was run: " + r.Faults[0].Sentence()
	case base.Unknown:
		status, detail = http.StatusNotFound, r.Faults[0].Sentence()
	case base.Conflicting:
		status, detail = http.StatusConflict, r.Faults[0].Sentence()
	case base.AnswersRefused:
		detail = count(len(r.Faults), "answer was refused", "answers were refused") + "; nothing was run"
	case base.LoadRefused:
		detail = r.Faults[0].Message
	case base.DefinitionsRefused:
		detail = count(len(r.Faults), "thing is wrong with the definitions", "things are wrong with the definitions") + "; nothing was stored"
	}
	p := newProblem(status, string(r.Kind), detail)
	for _, f := range r.Faults.Capped(fault.Most) {
		p.Errors = append(p.Errors, *f)
	}
	return p
}

// refusedFile tells each row that does not fit, as far as they were kept.
func refusedFile(e *load.Error) *Problem {
	p := newProblem(http.StatusUnprocessableEntity, string(base.LoadRefused), e.Message)
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
