package schedule

import (
	"fmt"
	"html"
	"strconv"
	"strings"
)

// Styles of the parts of a mail. Readers of mail ignore style sheets, so each part has its own.
const (
	bodyStyle = "font-family: sans-serif; font-size: 14px; line-height: 1.45; color: #1b2b34; " +
		"background: #ffffff; margin: 0; padding: 16px"
	headStyle   = "padding: 4px 12px 4px 0; border-bottom: 2px solid #7c98a6; text-align: "
	cellStyle   = "padding: 3px 12px 3px 0; border-bottom: 1px solid #d5dfe4; text-align: "
	figureStyle = "display: inline-block; margin: 0 24px 8px 0"
)

// page is HTML being written. It is written by hand and not by a template, because a program with
// templates in it must keep every exported method that it has, 8 MB of them.
type page struct{ strings.Builder }

// writef writes HTML with texts in it, which it escapes.
func (p *page) writef(format string, texts ...string) {
	escaped := make([]any, len(texts))
	for i, text := range texts {
		escaped[i] = html.EscapeString(text)
	}
	fmt.Fprintf(&p.Builder, format, escaped...)
}

// html is the message as a page of its own.
func (m *message) html() string {
	var p page
	p.WriteString("<!DOCTYPE html>\n")
	p.writef("<html lang=\"en\"><body style=\"%s\">\n", bodyStyle)
	p.writef("<h1 style=\"font-size: 20px; margin: 0 0 8px\">%s</h1>\n", m.Title)
	p.writef("<p style=\"margin: 0 0 12px\">%s</p>\n", m.ReadBack)

	for _, note := range m.Notes {
		p.writef("<p style=\"margin: 0 0 8px; color: #7a4a00\">%s</p>\n", note)
	}
	if m.Note != "" {
		p.writef("<p style=\"margin: 0 0 12px\"><b>%s</b></p>\n", m.Note)
	}
	p.figures(m.Figures)
	p.table(m)

	if m.More != "" {
		p.writef("<p style=\"margin: 0 0 12px\">%s</p>\n", m.More)
	}
	if m.Totals != "" {
		p.writef("<p style=\"margin: 0 0 12px\"><b>%s</b></p>\n", m.Totals)
	}
	p.foot(m)
	p.WriteString("</body></html>\n")
	return p.String()
}

func (p *page) figures(figures []figure) {
	if len(figures) == 0 {
		return
	}
	p.WriteString("<p style=\"margin: 0 0 12px\">")
	for _, f := range figures {
		p.writef("<span style=\"%s\">%s<br><b style=\"font-size: 22px\">%s</b></span>", figureStyle, f.Label, f.Value)
	}
	p.WriteString("</p>\n")
}

func (p *page) table(m *message) {
	if len(m.Rows) == 0 {
		return
	}
	side := func(column int) string {
		if m.Right[column] {
			return "right"
		}
		return "left"
	}

	p.WriteString("<table style=\"border-collapse: collapse; margin: 0 0 8px\">\n<thead><tr>")
	for i, label := range m.Columns {
		p.writef("<th scope=\"col\" style=\"%s%s\">%s</th>", headStyle, side(i), label)
	}
	p.WriteString("</tr></thead>\n<tbody>\n")
	for _, row := range m.Rows {
		p.WriteString("<tr>")
		for i, cell := range row {
			p.writef("<td style=\"%s%s\">%s</td>", cellStyle, side(i), cell)
		}
		p.WriteString("</tr>\n")
	}
	p.WriteString("</tbody></table>\n")
}

// foot says what proves the result, and where it comes from.
func (p *page) foot(m *message) {
	receipt := strconv.FormatInt(m.Receipt, 10)
	p.writef("<p style=\"margin: 12px 0 0; color: #44606f\">%s<br>", m.Evidence)
	switch {
	case m.Link != "":
		p.writef("<a href=\"%s\">Receipt %s</a>. ", m.Link, receipt)
	case m.Receipt != 0:
		p.writef("Receipt %s. ", receipt)
	}
	p.writef("Sent by the schedule %s.</p>\n", m.Schedule)
}
