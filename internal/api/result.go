package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/negotiation"

	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/export"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
)

// sentAs is how the result of a run is sent.
type sentAs struct {
	format export.Format
	form   export.CSVForm
	follow bool // the headers at once
	goesOn bool // whether or not whoever asked stays
}

// sent sends the result of a run as it is read.
func (r routes) sent(ctx context.Context, run *run.Run, as sentAs) *huma.StreamResponse {
	if as.goesOn = as.goesOn && run.ID() > 0; as.goesOn { // else nobody could find it
		run.Stays()
		ctx = context.WithoutCancel(ctx)
	}
	return &huma.StreamResponse{Body: func(c huma.Context) {
		c.SetHeader("Content-Type", export.MediaTypes[as.format])
		if id := run.ID(); id > 0 {
			note(ctx, id)
			c.SetHeader("Link", "<"+receiptPath(id)+`>; rel="describedby"`)
		}
		if at, before := run.ReadAt(); before {
			c.SetHeader("Last-Modified", at.UTC().Format(http.TimeFormat))
		}
		w := c.BodyWriter()
		if f, ok := w.(http.Flusher); ok && as.follow {
			f.Flush()
		}
		long := func(bytes int) { c.SetHeader("Content-Length", strconv.Itoa(bytes)) }
		var told *announced
		if as.goesOn && as.format == export.Events {
			told = announce(w, run)
			defer told.stop()
			w, long = told, nil // which writes more than the result
		}
		result, closed := run.In(as.format, as.form, run.Sending(w, func() { cutOff(c.BodyWriter()) }, long))
		defer closed()
		_, err := run.Stream(ctx, result)
		switch {
		case err == nil:
		case run.Sent() || as.follow || errors.Is(err, context.Canceled) || errors.Is(err, receipt.ErrGone):
			// Too late for a problem document: break the response off, so that
			// nobody takes what was sent for the whole.
			panic(http.ErrAbortHandler)
		case told != nil:
			told.failed(problemOf(ctx, err))
		default:
			p := problemOf(ctx, err)
			c.SetHeader("Content-Type", p.ContentType(""))
			c.SetStatus(p.Status)
			_ = json.NewEncoder(c.BodyWriter()).Encode(p)
		}
	}}
}

// CSVChoices are how CSV is to be written where it is not to be as RFC 4180 has it.
type CSVChoices struct {
	Safe      bool   `query:"safe" doc:"Of CSV: put an apostrophe before fields that a spreadsheet program would take for formulas. Without it CSV is true to the data."`
	Mark      bool   `query:"mark" doc:"Of CSV: begin with a byte-order mark, by which some spreadsheet programs know UTF-8."`
	Separator string `query:"separator" enum:"comma,semicolon,tab" doc:"Of CSV: what stands between fields."`
	Decimal   string `query:"decimal" enum:"point,comma" doc:"Of CSV: what stands in numbers before the fraction."`
	Dates     string `query:"dates" maxLength:"40" doc:"Of CSV: a pattern such as dd.MM.yyyy for the days; times follow as HH:mm:ss, as clocks showed them. Without it dates are in ISO 8601, and instants have their offset."`
}

// form is the form of CSV that is asked for; another format has none.
func (c CSVChoices) form(format export.Format) (form export.CSVForm, err error) {
	refuse := func(format string, args ...any) (export.CSVForm, error) {
		return export.CSVForm{}, newProblem(http.StatusBadRequest, fault.InvalidRequest, fmt.Sprintf(format, args...))
	}
	if c != (CSVChoices{}) && format != export.CSV {
		return refuse("safe, mark, separator, decimal and dates say something of CSV, and the output is to be %s", format)
	}
	form = export.CSVForm{Mark: c.Mark, Comma: c.Decimal == "comma", Safe: c.Safe}
	for _, s := range export.Separators {
		if s.Name == c.Separator {
			form.Separator = s.Sign
		}
	}
	if c.Dates == "" {
		return form, nil
	}
	if form.Dates, err = column.ParsePattern(c.Dates); err != nil {
		return refuse("dates: %s", err)
	}
	if form.Dates.HasTime() {
		return refuse("dates: the pattern %q is to be of a day, such as dd.MM.yyyy; a time follows as HH:mm:ss", english.Shorten(c.Dates))
	}
	return form, nil
}

// cutOff makes what is being written to a response fail.
func cutOff(w io.Writer) {
	if response, ok := w.(http.ResponseWriter); ok {
		_ = http.NewResponseController(response).SetWriteDeadline(time.Now()) // which connections of servers can
	}
}

// formatOf is the format that is asked for, by name or by the header Accept.
func formatOf(output, accept string) (export.Format, error) {
	if output != "" {
		if slices.Contains(export.Formats, export.Format(output)) {
			return export.Format(output), nil
		}
		return "", notOffered(fmt.Sprintf("there is no output %q", english.Shorten(output)))
	}
	if accept == "" {
		return export.JSON, nil
	}
	offered := []string{"application/json", "text/csv", "application/x-ndjson", export.MediaTypes[export.XLSX], export.MediaTypes[export.PDF]}
	switch negotiation.SelectQValue(accept, offered) {
	case "text/csv":
		return export.CSV, nil
	case "application/x-ndjson":
		return export.NDJSON, nil
	case export.MediaTypes[export.XLSX]:
		return export.XLSX, nil
	case export.MediaTypes[export.PDF]:
		return export.PDF, nil
	case "":
		if !strings.Contains(accept, "*/*") && !strings.Contains(accept, "application/*") {
			break
		}
		fallthrough
	default:
		return export.JSON, nil
	}
	return "", notOffered(fmt.Sprintf("no result is sent as %s", english.Shorten(accept)))
}

// notOffered refuses a format, with the list of those that there are.
func notOffered(says string) error {
	var names []string
	for _, f := range export.Formats {
		names = append(names, string(f))
	}
	return newProblem(http.StatusNotAcceptable, fault.NotOffered, says+"; the formats are "+english.Both(names))
}
