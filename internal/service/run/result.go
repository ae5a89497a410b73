package run

import (
	"io"

	"pikegate/internal/export"
)

// In is where the sections of the run are written in a format; form is how CSV is written. closed ends
// it.
func (r *Run) In(format export.Format, form export.CSVForm, to io.Writer) (result export.Result, closed func()) {
	switch {
	case format == export.XLSX:
		book := export.NewWorkbook(to, r.Zone, r.runs.base.Spool.Dir, r.Asks())
		return book, func() { _ = book.Close() } // what waited is thrown away
	case format == export.PDF:
		paper, err := export.NewPaper(to, r.Zone, r.Asks())
		if err != nil {
			panic("run: the font of PDF cannot be read: " + err.Error()) // it is built in
		}
		return paper, func() {}
	case format == export.CSV:
		return export.Whole{Writer: export.NewCSV(form, to, r.Columns, r.Zone)}, func() {}
	case r.Several():
		return export.NewSections(format, to, r.Zone), func() {}
	}
	return export.Whole{Writer: export.New(format, to, r.Columns, r.Zone, r.Notes()...)}, func() {}
}
