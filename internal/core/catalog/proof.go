package catalog

import (
	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
)

// Proof is answers with what must come back for them.
type Proof struct {
	Name    string
	Report  *Report // of a query: the query alone
	AsOf    civil.Day
	Answers map[string]prompt.Entered

	Records     *int64
	With        [][]string // keys of records that must be there
	Without     [][]string // and of those that must not
	Totals      map[*column.Column]decimal.Decimal
	Fingerprint string
	// Places are where each of what is expected stands, by its key.
	Places map[string]fault.Place
}

// Main is the section that it proves, nil where there is none.
func (p *Proof) Main() *Section {
	if p.Report == nil {
		return nil
	}
	return p.Report.Main()
}
