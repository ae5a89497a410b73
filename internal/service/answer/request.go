package answer

import (
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

// ReadBy is what answers are read by beside the as-of day and the zone: the same again
// reads them to the same.
type ReadBy struct {
	Now              time.Time       `json:"now" doc:"The moment taken for now."`
	DayOrder         phrase.DayOrder `json:"day_order,omitempty" doc:"How days that are all digits are read; absent where each must have one reading."`
	FiscalYearStarts time.Month      `json:"fiscal_year_starts,omitempty" doc:"Number of the month that the business's year starts with; absent where none is set."`
}

// On is a setting with what answers were read by then; of receipts that do not tell, the
// setting as it is.
func (b *ReadBy) On(set phrase.Setting) phrase.Setting {
	if b != nil {
		set.Now, set.Order, set.FiscalStart = b.Now.Unix(), b.DayOrder, b.FiscalYearStarts
	}
	return set
}

// Request is what a run is asked for with.
type Request struct {
	Answers map[string]prompt.Entered
	AsOf    string // any form of a day; "" for today
	Limit   int    // most rows; 0 for all
	Skip    int    // rows to leave out first
	After   string // where a page of the run ended that this one goes on from, as its receipt told; "" for none
	// Uncounted leaves it open how many records match beyond the rows of a Limit.
	Uncounted bool
	Evidence  bool // count, once the rows are sent, what shows that they are right
	Whole     bool // count all records, however many there are, and make the fingerprint of all rows
	// Keep reads all rows of a large table's result where a page of them is sent, unless they are many, so
	// that they are kept. Of other tables they are read wherever evidence is counted.
	Keep bool
	// Section is the number of the section that alone is wanted, from 1, or OnlyTable; 0 for all.
	Section int
	View    View // of the main section, or of the one that alone is wanted
	// Of is the receipt of a run that this one brings further rows of, by its answers: one
	// run has one receipt, however many pages are read of it. 0 for a run of its own.
	Of int64
	// Files are definitions to try beside those that are published, or in their place.
	// Nothing is stored, and the run is not on record.
	Files []catalog.File

	// Changes is what the database said of the state of its tables when the rows of the run
	// were read that this one goes on from; "" where that is not known.
	Changes string

	Then *ReadBy // what the answers are read by; nil for the settings of now
}
