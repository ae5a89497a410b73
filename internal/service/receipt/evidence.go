package receipt

import (
	"time"

	"pikegate/internal/core/civil"
)

// Evidence is what shows that a result is right.
type Evidence struct {
	All             *int64           `json:"all,omitempty" doc:"How many records the dataset has."`
	Period          *Reconciliation  `json:"period,omitempty" doc:"Where all of them lie beside the period."`
	ConditionCounts []ConditionCount `json:"condition_counts" doc:"How many are left after each condition, the period first."`
	Ends            *Ends            `json:"ends,omitempty" doc:"The first and the last date in the result, and the nearest that are not."`
	CompleteUpTo    *Dated           `json:"complete_up_to,omitempty" doc:"The newest date of the dataset."`
	Loaded          *Loaded          `json:"loaded,omitempty" doc:"When the service last loaded the dataset's table; absent where it never did."`
	Fingerprint     string           `json:"fingerprint,omitempty" doc:"SHA-256 of the whole result in order, in hexadecimal digits."`
	MoreDigits      []MoreDigits     `json:"more_digits,omitempty" doc:"Columns with values that have more digits than their scale; such values are shown whole."`
	Unfit           []Unfit          `json:"unfit,omitempty" doc:"Columns with values in the result that are not what the dataset says; such values are shown as they are stored."`
	SameKey         int64            `json:"same_key,omitempty" doc:"Records of the result whose key another one has too: the dataset's key does not tell records apart."`
	Empty           *WhyEmpty        `json:"empty,omitempty" doc:"Why there are no records; absent where there are some."`
	DataChanged     bool             `json:"data_changed" doc:"Whether the data changed between the rows and the counting, where the database does not keep the two together."`
	NotComputed     []string         `json:"not_computed,omitempty" doc:"What could not be counted, and why."`
	Statements      int              `json:"statements" doc:"How many statements it took."`
	Read            *Read            `json:"read,omitempty" doc:"How many records the database read, by its own count; absent where it keeps none."`
}

// Read is how many records a database read for a run.
type Read struct {
	Rows     int64 `json:"rows" doc:"For the rows."`
	Evidence int64 `json:"evidence" doc:"For the evidence."`
}

// Reconciliation is where all records of a dataset lie beside a period: the figures
// add up to all of them.
type Reconciliation struct {
	Column     string     `json:"column" doc:"Label of the column."`
	Says       string     `json:"says" doc:"The condition in words."`
	Excluded   bool       `json:"excluded,omitempty" doc:"Whether the condition keeps what lies outside."`
	Before     int64      `json:"before" doc:"Records before it."`
	Inside     int64      `json:"inside" doc:"Records inside it."`
	Between    int64      `json:"between,omitempty" doc:"Of several days: records between the first and the last, on none of them."`
	After      int64      `json:"after" doc:"Records after it."`
	Missing    int64      `json:"missing" doc:"Records without a date."`
	Unreadable int64      `json:"unreadable" doc:"Records whose stored value is no date."`
	CountedAt  *time.Time `json:"counted_at,omitempty" doc:"When all but what lies inside was counted; absent where that was counted with the rows."`
	InsideToo  bool       `json:"inside_too,omitempty" doc:"Whether what lies inside was counted then as well, since the period has too many records to be counted for a page of them."`
	Changed    bool       `json:"changed,omitempty" doc:"Whether the period has other records than it had at that time: the data changed since."`
}

// MoreDigits is a column with values that have more digits than its scale.
type MoreDigits struct {
	Column  string `json:"column" doc:"Label of the column."`
	Scale   int    `json:"scale" doc:"Digits after the point that the dataset gives it."`
	Records int64  `json:"records" doc:"Records of the result whose value has more."`
}

// Unfit is a column with values in the result that are not what it is said to hold.
type Unfit struct {
	Column   string   `json:"column" doc:"Label of the column."`
	Records  int64    `json:"records" doc:"Records of the result whose value is otherwise."`
	Examples []string `json:"examples" doc:"Some of these values, as they are stored."`
}

// ConditionCount is a condition with what it left.
type ConditionCount struct {
	Says     string `json:"says" doc:"The condition in words."`
	Left     int64  `json:"left" doc:"Records that are left after it."`
	TookAway *int64 `json:"took_away,omitempty" doc:"Records that it took away; absent where it is not known how many there were before."`
	At       string `json:"at,omitempty" doc:"Where it is defined, as read_back_pieces tell it; absent for several together."`
}

// Dated is a date of a record.
type Dated struct {
	Day     civil.Day `json:"day" doc:"The day, by the clock of the business."`
	Spelled string    `json:"spelled" doc:"The date, with its time of day where it has one."`
}

// EndDay is an end of a result.
type EndDay struct {
	Dated
	Records int64 `json:"records" doc:"Records of the result on that day."`
}

// Ends are the ends of a result in time.
type Ends struct {
	Column        string  `json:"column" doc:"Label of the column."`
	First         *EndDay `json:"first,omitempty" doc:"The first date."`
	Last          *EndDay `json:"last,omitempty" doc:"The last date."`
	NearestBefore *Dated  `json:"nearest_before,omitempty" doc:"The last record before the period that all the other conditions hold for."`
	NearestAfter  *Dated  `json:"nearest_after,omitempty" doc:"The first record after the period, likewise."`
	NoneAmong     int     `json:"none_among,omitempty" doc:"Where a nearest record is missing although there are records: how many of the nearest were looked at, and none of them met the other conditions."`
}

// Loaded is when a table was last loaded.
type Loaded struct {
	At   time.Time `json:"at" doc:"When."`
	By   string    `json:"by" doc:"By whom."`
	Rows int       `json:"rows" doc:"How many rows the load brought."`
}

// WhyEmpty is why a result has no records.
type WhyEmpty struct {
	Says    string             `json:"says" doc:"The reason, in a sentence."`
	Step    int                `json:"step" doc:"The number of the condition that left none, from 1; 0 where the dataset has no records."`
	At      string             `json:"at,omitempty" doc:"Where that condition is defined, as read_back_pieces tell it; absent where it is not one alone."`
	Pairs   []Pair             `json:"pairs,omitempty" doc:"Conditions that no record meets together, although some meet each."`
	Without []WithoutCondition `json:"without,omitempty" doc:"How many records there would be without one of the conditions, where there would be some."`
	Nearest *Nearest           `json:"nearest,omitempty" doc:"The nearest period that has records."`
}

// Pair is two conditions that no record meets together.
type Pair struct {
	One   string `json:"one" doc:"A condition in words."`
	Other string `json:"other" doc:"The other one."`
}

// WithoutCondition is a condition with what its absence would bring.
type WithoutCondition struct {
	Says    string `json:"says" doc:"The condition in words."`
	Records int64  `json:"records" doc:"Records without it."`
}

// Nearest is a period that has records, where the one asked for has none.
type Nearest struct {
	Prompt  string    `json:"prompt,omitempty" doc:"The prompt that it answers; absent where the period is fixed."`
	Answer  string    `json:"answer,omitempty" doc:"The answer to give."`
	First   civil.Day `json:"first" doc:"Its first day, included."`
	Last    civil.Day `json:"last" doc:"Its last day, included."`
	Spelled string    `json:"spelled" doc:"The same, so that nobody can misread it."`
	Records int64     `json:"records" doc:"How many records that answer brings."`
}
