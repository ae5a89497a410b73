package answer

import (
	"fmt"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/readback"
)

// Explanation is what a run would be, of which nothing was run.
type Explanation struct {
	Report   string           `json:"report" doc:"Name of the report."`
	AsOf     civil.Day        `json:"as_of" doc:"The day taken for today."`
	Answers  []Understood     `json:"answers" doc:"The answers, as entered and as understood."`
	ReadBack string           `json:"read_back" doc:"What would run, in a sentence."`
	Pieces   []readback.Piece `json:"read_back_pieces" doc:"The same sentence with its values set off."`
	Source   string           `json:"source" doc:"Name of the source."`
	Engine   string           `json:"engine" doc:"What kind of database it is."`
	SQL      string           `json:"sql" doc:"The statement that it would be sent."`
	Values   []string         `json:"values" doc:"The values bound to it, in order."`
	Plan     []string         `json:"plan" doc:"How the database says that it would run it."`
	Indexes  []string         `json:"indexes" doc:"The indexes that it would use."`
	Whole    bool             `json:"reads_whole_table" doc:"Whether it would read some table from its first record to its last."`
}

// Matches is how many records a run would bring.
type Matches struct {
	Records int64 `json:"records" doc:"Records that match all the answers."`
	Of      int64 `json:"of" doc:"Records that the period holds, whatever else is answered; all of the dataset where there is none."`
}

// BoundTo are the values bound to a statement, in order, for people to read.
func BoundTo(s compile.Statement) []string {
	texts := make([]string, len(s.Args))
	for i, value := range s.Args {
		texts[i] = fmt.Sprint(value)
	}
	return texts
}
