package fault

// Code is what is wrong, as a word for programs. Codes are never renamed.
type Code string

// Area is what the codes of one kind are about.
type Area string

const (
	Answers     Area = "answers"     // what is wrong with an answer
	Definitions Area = "definitions" // what is wrong with a definition, or misleads
	Sources     Area = "sources"     // where a definition and its database differ
	Loads       Area = "loads"       // what is wrong with a file of records
	Requests    Area = "requests"    // why a request is not carried out
	Client      Area = "client"      // what the command line itself could not do
)

// Codes of answers: what is wrong with an answer.
const (
	NotADate        Code = "not_a_date"
	IncompleteDate  Code = "incomplete_date"
	NoSuchDate      Code = "no_such_date"
	AmbiguousDate   Code = "ambiguous_date"
	WeekdayMismatch Code = "weekday_mismatch"
	TimeNotWanted   Code = "time_not_wanted"
	EndBeforeStart  Code = "end_before_start"
	TimeMissing     Code = "time_missing"
	NoSuchTime      Code = "no_such_time"
	AmbiguousTime   Code = "ambiguous_time"
	AnswerRequired  Code = "answer_required"
	SideRequired    Code = "side_required"
	BeforeEarliest  Code = "before_earliest"
	AfterLatest     Code = "after_latest"
	PeriodTooLong   Code = "period_too_long"
	PeriodTooShort  Code = "period_too_short"
	NotAChoice      Code = "not_a_choice"
	TooManyChoices  Code = "too_many_choices"
	ReadsTooMuch    Code = "reads_too_much"
	TooManyGroups   Code = "too_many_groups"
	TooFewChoices   Code = "too_few_choices"
	NotANumber      Code = "not_a_number"
	OutOfRange      Code = "out_of_range"
	TooLong         Code = "too_long"
	PatternMismatch Code = "pattern_mismatch"
	UnknownPrompt   Code = "unknown_prompt"
)

// Codes of definitions: what is wrong with a definition, or misleads.
const (
	NotText               Code = "not_text"
	NotYAML               Code = "not_yaml"
	TabInIndentation      Code = "tab_in_indentation"
	AliasNotRead          Code = "alias_not_read"
	DuplicateKey          Code = "duplicate_key"
	NoDefinition          Code = "no_definition"
	WrongFormat           Code = "wrong_format"
	NotAnIdentifier       Code = "not_an_identifier"
	UnknownKey            Code = "unknown_key"
	MissingKey            Code = "missing_key"
	WrongType             Code = "wrong_type"
	WrongValue            Code = "wrong_value"
	DefinedTwice          Code = "defined_twice"
	DefinitionTooLarge    Code = "definition_too_large"
	DefinitionTooDeep     Code = "definition_too_deep"
	TooMany               Code = "too_many"
	UnknownSource         Code = "unknown_source"
	UnknownDataset        Code = "unknown_dataset"
	UnknownTable          Code = "unknown_table"
	UnknownColumn         Code = "unknown_column"
	UnknownFilter         Code = "unknown_filter"
	UnknownQuery          Code = "unknown_query"
	UnknownReport         Code = "unknown_report"
	UnknownProof          Code = "unknown_proof"
	UnknownZone           Code = "unknown_zone"
	ZoneWithoutSummerTime Code = "zone_without_summer_time"
	Circle                Code = "circle"
	TypeMismatch          Code = "type_mismatch"
	CountMismatch         Code = "count_mismatch"
	EmptyGroup            Code = "empty_group"
	PromptNotAsked        Code = "prompt_not_asked"
	CannotDerive          Code = "cannot_derive"
	OpenSideDerived       Code = "open_side_derived"
	NothingToCompare      Code = "nothing_to_compare"
	OpenComparison        Code = "open_comparison"
	FigureWithoutUnit     Code = "figure_without_unit"
	ShareWithoutWhole     Code = "share_without_whole"
	SumOfFractions        Code = "sum_of_fractions"
	AddedRepeatedly       Code = "added_repeatedly"
	OutsideOwnLimits      Code = "outside_own_limits"
	PatternNotRead        Code = "pattern_not_read"
	NotSettled            Code = "not_settled"
	EngineCannot          Code = "engine_cannot"
	NotATimetable         Code = "not_a_timetable"
	NoSuchRunDay          Code = "no_such_run_day"
	PersonalCondition     Code = "personal_condition"
	KeyKeptBack           Code = "key_kept_back"
	JoinMultiplies        Code = "join_multiplies"
	NotOneSelect          Code = "not_one_select"
	SQLNotClosed          Code = "sql_not_closed"
	SQLNotKnown           Code = "sql_not_known"
	SQLNotAllowed         Code = "sql_not_allowed"
	NoSuchPlaceholder     Code = "no_such_placeholder"
	NeedsAnswer           Code = "needs_an_answer"
	LastDayLost           Code = "last_day_lost"
	DayTooMany            Code = "day_too_many"
	NotComparable         Code = "not_comparable"
	NeverHolds            Code = "never_holds"
	AlwaysHolds           Code = "always_holds"
	Implied               Code = "implied"
	NoSort                Code = "no_sort"
	DateNotShown          Code = "date_not_shown"
	NoUpperSide           Code = "no_upper_side"
	DayLeftOut            Code = "day_left_out"
	OptionalUnderAny      Code = "optional_under_any"
	DefaultAges           Code = "default_ages"
	PromptNotUsed         Code = "prompt_not_used"
	ListIgnoresPeriod     Code = "list_ignores_period"
	NotUsed               Code = "not_used"
	ComparesWithAName     Code = "compares_with_a_name"
	IndexNotUsed          Code = "index_not_used"
)

// Codes of sources: where a definition and its database differ.
const (
	NoSuchTable     Code = "no_such_table"
	NoSuchColumn    Code = "no_such_column"
	KeyNotUnique    Code = "key_not_unique"
	StoredOtherwise Code = "stored_otherwise"
	OtherCollation  Code = "other_collation"
	SQLRefused      Code = "sql_refused"
	NoIndex         Code = "no_index"
	MostlyMissing   Code = "mostly_missing"
	ManySeries      Code = "many_series"
	SourceNotAsked  Code = "source_not_asked"
	AccountMayWrite Code = "account_may_write"
	ProofFailed     Code = "proof_failed"
)

// Codes of loads: what is wrong with a file of records.
const (
	FileNotRead     Code = "file_not_read"
	RowsRefused     Code = "rows_refused"
	TableDoesNotFit Code = "table_does_not_fit"
	DatesTwoWays    Code = "dates_can_be_read_two_ways"
	RowOfTotals     Code = "row_of_totals"
	TooManyColumns  Code = "too_many_columns"
	FieldTooLong    Code = "field_too_long"
	UnpacksTooLarge Code = "unpacks_too_large"
)

// Codes of requests: why a request is not carried out.
const (
	InvalidRequest     Code = "invalid_request"
	NotOffered         Code = "not_offered"
	NotFound           Code = "not_found"
	Unknown            Code = "unknown"
	UnknownReceipt     Code = "unknown_receipt"
	UnknownSection     Code = "unknown_section"
	SectionNotChosen   Code = "section_not_chosen"
	ViewNotAllowed     Code = "view_not_allowed"
	UnknownDefinition  Code = "unknown_definition"
	NotPublished       Code = "not_published"
	NotRecorded        Code = "not_recorded"
	NotAMonth          Code = "not_a_month"
	UnknownSetting     Code = "unknown_setting"
	AnswersRefused     Code = "answers_refused"
	DefinitionsRefused Code = "definitions_refused"
	DefinitionInError  Code = "definition_in_error"
	LoadRefused        Code = "load_refused"
	Conflict           Code = "conflict"
	InUse              Code = "in_use"
	NameTaken          Code = "name_taken"
	EditNotMade        Code = "edit_not_made"
	DraftMovedOn       Code = "draft_moved_on"
	RunAgain           Code = "run_again"
	NotRunning         Code = "not_running"
	UnknownKept        Code = "unknown_kept"
	UnknownLink        Code = "unknown_link"
	LinkRevoked        Code = "link_revoked"
	SignInRequired     Code = "sign_in_required"
	SignInRefused      Code = "sign_in_refused"
	TooManyTries       Code = "too_many_tries"
	TooManyRequests    Code = "too_many_requests"
	RightMissing       Code = "right_missing"
	PersonRefused      Code = "person_refused"
	UnknownPerson      Code = "unknown_person"
	UnknownGroup       Code = "unknown_group"
	UnknownSchedule    Code = "unknown_schedule"
	UnknownMail        Code = "unknown_mail"
	UnknownToken       Code = "unknown_token"
	TooLarge           Code = "too_large"
	Forbidden          Code = "forbidden"
	WrongHost          Code = "wrong_host"
	TooSlow            Code = "too_slow"
	Busy               Code = "busy"
	NoRoom             Code = "no_room"
	SourceFailed       Code = "source_failed"
	SourceBusy         Code = "source_busy"
	CutByTime          Code = "cut_by_time"
	CutBySize          Code = "cut_by_size"
	Cancelled          Code = "cancelled"
	Failed             Code = "failed"
	AndMore            Code = "and_more"
)

// Codes of client: what the command line itself could not do.
const (
	Usage       Code = "usage"
	Unreached   Code = "unreached"
	Interrupted Code = "interrupted"
)

// Registered is a code with what it means and an example that brings it.
type Registered struct {
	Code    Code
	Area    Area
	Meaning string
	// Example is what brings the code: of answers a prompt and what is answered to it, parted
	// by "<-"; of definitions and sources YAML; of loads CSV, after flags and a colon where
	// it needs some; of requests a request of HTTP with its body. Where none is so short,
	// it names a test: "TestName".
	Example string
}

// Codes are all codes, in the order of the registry.
func Codes() []Code {
	all := make([]Code, len(Registry))
	for i, r := range Registry {
		all[i] = r.Code
	}
	return all
}

// Registry lists all codes.
var Registry = []Registered{
	{NotADate, Answers, "It is no day, period or moment in any form that is read.", "{type: day} <- 5 Septmber 2026"},
	{IncompleteDate, Answers, "A part of the date is missing: its year, month or day.", "{type: day} <- 5 Mar"},
	{NoSuchDate, Answers, "The calendar has no such day.", "{type: day} <- 30 Feb 2026"},
	{AmbiguousDate, Answers, "It can be read as different days, and no order of day and month is set.", "{type: day} <- 3/4/2026"},
	{WeekdayMismatch, Answers, "The day is on another day of the week than was written.", "{type: day} <- Fri 5 Mar 2026"},
	{TimeNotWanted, Answers, "A day is asked for, and a time of day was given with it.", "{type: day} <- 5 Mar 2026 14:30"},
	{EndBeforeStart, Answers, "The period ends before it starts.", "{type: period} <- 5 Mar 2026 to 1 Mar 2026"},
	{TimeMissing, Answers, "A moment is asked for, and the time of day is missing.", "{type: moment} <- 5 Mar 2026"},
	{NoSuchTime, Answers, "No clock shows the time: it is none, or clocks skip it.", "{type: moment} <- 29 Mar 2026 03:30"},
	{AmbiguousTime, Answers, "Clocks show the time twice, since they are set back.", "{type: moment} <- 25 Oct 2026 03:30"},
	{AnswerRequired, Answers, "The prompt needs an answer, and none was given.", "{type: period, required: true} <-"},
	{SideRequired, Answers, "One side of the period was left open, and the prompt allows no open side.", "{type: period} <- since 1 Mar 2026"},
	{BeforeEarliest, Answers, "It is before the earliest that the prompt allows.", "{type: day, earliest: 1 Jan 2026} <- 31 Dec 2025"},
	{AfterLatest, Answers, "It is after the latest that the prompt allows.", "{type: day, latest: today} <- 31 Dec 2026"},
	{PeriodTooLong, Answers, "The period is longer than the prompt allows.", "{type: period, longest: 1 month} <- Q1 2026"},
	{PeriodTooShort, Answers, "The period is shorter than the prompt allows.", "{type: period, shortest: 7 days} <- 5 Mar 2026"},
	{NotAChoice, Answers, "It is none of the choices, or not made of the calendar units that are asked for.", "{type: choice, choices: [Inner Loop, Outer Loop]} <- Middle Loop"},
	{TooManyChoices, Answers, "More values were given than the prompt takes.", "{type: month} <- Mar 2026 to Apr 2026"},
	{ReadsTooMuch, Answers, "The run would read more records than the report allows.", "TestTheMostThatAReportReads"},
	{TooManyGroups, Answers, "The summary would have more rows, or more units of the calendar, than are shown.", "TestSummariesThatAreTooLong"},
	{TooFewChoices, Answers, "Fewer values were given than the prompt takes.", "{type: choice, many: true, at_least: 2, choices: [Inner Loop, Outer Loop]} <- Inner Loop"},
	{NotANumber, Answers, "It is no number.", "{type: number} <- ten"},
	{OutOfRange, Answers, "The number is less or greater than the prompt allows.", "{type: number, at_least: 0} <- -1"},
	{TooLong, Answers, "The answer is longer than the prompt allows, or than any answer may be.", "{type: text, most_letters: 3} <- Tern"},
	{PatternMismatch, Answers, "The text does not look as the prompt asks.", "{type: text, pattern: \"[A-Z]{3}\", pattern_help: three capital letters} <- tern"},
	{UnknownPrompt, Answers, "No prompt has the name.", "no-such-prompt: 2026"},
	{NotText, Definitions, "The file, or the answer, is not UTF-8 text, or has a zero byte in it.", "\xff"},
	{NotYAML, Definitions, "The file is not YAML.", "route: ["},
	{TabInIndentation, Definitions, "A line is indented by a tab, which YAML forbids.", "pikegate: 1\nfilter: g\nof: sailings\nwhere:\n\troute: {is: A}"},
	{AliasNotRead, Definitions, "An anchor or alias of YAML stands there, and definitions have none.", "{pikegate: 1, filter: g, of: &a sailings, where: {route: {is: *a}}}"},
	{DuplicateKey, Definitions, "A key stands there twice.", "{pikegate: 1, filter: g, of: sailings, of: sailings, where: {route: {is: A}}}"},
	{NoDefinition, Definitions, "The file holds no definition.", "# nothing"},
	{WrongFormat, Definitions, "The document does not start with the version of the format and what it defines.", "{filter: g}"},
	{NotAnIdentifier, Definitions, "The name is not made of lower-case letters, digits and dashes.", "{pikegate: 1, filter: My Filter, of: sailings, where: {route: {is: A}}}"},
	{UnknownKey, Definitions, "The key is none that is read here.", "{pikegate: 1, filter: g, off: sailings, where: {route: {is: A}}}"},
	{MissingKey, Definitions, "A key that is needed is missing.", "{pikegate: 1, filter: g, where: {route: {is: A}}}"},
	{WrongType, Definitions, "A value of another type is wanted: a list, a mapping, a text.", "{pikegate: 1, query: g, of: sailings, show: {id: 1}}"},
	{WrongValue, Definitions, "The value is none of those that may stand here.", "{pikegate: 1, prompt: p, ask: Which days, type: perod}"},
	{DefinedTwice, Definitions, "The name is taken already.", "{pikegate: 1, filter: late, of: sailings, where: {minutes: {more_than: 10}}}\n---\n{pikegate: 1, filter: late, of: sailings, where: {minutes: {more_than: 20}}}"},
	{DefinitionTooLarge, Definitions, "The definition has more bytes than are read.", "TestLimitsOfDefinitions"},
	{DefinitionTooDeep, Definitions, "Lists, mappings, groups or datasets stand deeper in each other than is read.", "TestLimitsOfDefinitions"},
	{TooMany, Definitions, "There are more keys, items, conditions or values than are read.", "TestLimitsOfDefinitions"},
	{UnknownSource, Definitions, "No source has the name.", "{pikegate: 1, dataset: g, source: harbur, table: t, key: [id], columns: {id: {type: integer}}}"},
	{UnknownDataset, Definitions, "No dataset has the name.", "{pikegate: 1, filter: g, of: sailngs, where: {route: {is: A}}}"},
	{UnknownTable, Definitions, "The dataset, or the source, has no such table.", "{pikegate: 1, dataset: g, source: harbour, table: t, key: [id], columns: {id: {type: integer, table: u}}}"},
	{UnknownColumn, Definitions, "The dataset has no such column.", "{pikegate: 1, filter: g, of: sailings, where: {rout: {is: A}}}"},
	{UnknownFilter, Definitions, "No filter has the name.", "{pikegate: 1, query: g, of: sailings, show: [id], where: {filter: none-such}}"},
	{UnknownQuery, Definitions, "No query has the name.", "{pikegate: 1, report: g, title: G, sections: [{table: {query: none-such}}]}"},
	{UnknownReport, Definitions, "No report has the name.", "{pikegate: 1, proof: g, report: none-such, as_of: 2026-11-23, expect: {records: 1}}"},
	{UnknownProof, Definitions, "No proof has the name.", "{pikegate: 1, schedule: g, check: [none-such], at: daily at 06:00, zone: Europe/Helsinki}"},
	{UnknownZone, Definitions, "The IANA time zone data have no such zone.", "{pikegate: 1, source: g, zone: Europe/Helsinky}"},
	{ZoneWithoutSummerTime, Definitions, "The zone has the same offset all year, which few businesses go by.", "{pikegate: 1, source: g, zone: EST}"},
	{Circle, Definitions, "The definition leads back to itself.", "{pikegate: 1, filter: g, of: sailings, where: {filter: g}}"},
	{TypeMismatch, Definitions, "The operator, the answer or the column does not go with the type.", "{pikegate: 1, filter: g, of: sailings, where: {route: {within: 2026}}}"},
	{CountMismatch, Definitions, "Several values stand where one is compared with, or the other way round.", "{pikegate: 1, filter: g, of: sailings, where: {route: {is: {prompt: routes}}}}"},
	{EmptyGroup, Definitions, "A list or a group has nothing in it.", "{pikegate: 1, filter: g, of: sailings, where: {all: []}}"},
	{PromptNotAsked, Definitions, "The report does not ask a prompt that its conditions need.", "{pikegate: 1, report: g, title: G, prompts: [routes], sections: [{table: {query: by-day}}]}"},
	{CannotDerive, Definitions, "The prompt cannot be worked out from the other one.", "{pikegate: 1, prompt: p, ask: Before, derived: previous routes}"},
	{OpenSideDerived, Definitions, "A side of the period may be left open, and the derived one needs it.", "{pikegate: 1, prompt: q, ask: When, type: period, open: either}\n---\n{pikegate: 1, prompt: p, ask: Before, derived: previous q}"},
	{NothingToCompare, Definitions, "A section is compared with the period before, and no period is asked for.", "{pikegate: 1, query: h, of: sailings, show: [id], sort: [id]}\n---\n{pikegate: 1, report: g, title: G, sections: [{figure: {query: h, summary: count, compare: previous}}]}"},
	{OpenComparison, Definitions, "A section is compared with the period before, and the period may be open.", "{pikegate: 1, prompt: q, ask: When, type: period, open: either, required: true}\n---\n{pikegate: 1, query: h, of: sailings, show: [id, on], sort: [id], where: {on: {within: {prompt: q}}}}\n---\n{pikegate: 1, report: g, title: G, sections: [{figure: {query: h, summary: count, compare: previous}}]}"},
	{FigureWithoutUnit, Definitions, "A report shows an amount in large, and nobody sees of what it is.", "{pikegate: 1, dataset: d, source: harbour, table: t, key: [id], columns: {id: {type: integer}, fare: {type: decimal, scale: 2}}}\n---\n{pikegate: 1, query: h, of: d, show: [id], sort: [id]}\n---\n{pikegate: 1, report: g, title: G, sections: [{figure: {query: h, summary: {sum: fare}}}]}"},
	{ShareWithoutWhole, Definitions, "Shares are shown of some of the rows that they are of.", "{pikegate: 1, query: h, of: sailings, group: [route], summaries: {n: count, part: {share_of_total: n}}, having: {n: {at_least: 2}}}\n---\n{pikegate: 1, report: g, title: G, sections: [{table: {query: h}}]}"},
	{SumOfFractions, Definitions, "Binary fractions are added up, and their sum is about right only.", "{pikegate: 1, dataset: d, source: harbour, table: t, key: [id], columns: {id: {type: integer}, n: {type: number}}}\n---\n{pikegate: 1, query: h, of: d, summaries: {n: {sum: n}}}"},
	{AddedRepeatedly, Definitions, "A sum or an average takes a value once for each record that a join finds beside it.", "{pikegate: 1, dataset: d, source: harbour, table: t, key: [id, stop], joins: [{table: u, key: [id, stop], on: {id: id}}], columns: {id: {type: integer}, stop: {type: integer, table: u}, fare: {type: integer}}}\n---\n{pikegate: 1, query: h, of: d, summaries: {n: {sum: fare}}}"},
	{OutsideOwnLimits, Definitions, "The default or an offer is one that the prompt itself refuses.", "{pikegate: 1, prompt: p, ask: When, type: day, latest: today, default: 1 Jan 2030}"},
	{PatternNotRead, Definitions, "The pattern of the dates has letters that are not read.", "{pikegate: 1, dataset: g, source: harbour, table: t, key: [id], columns: {id: {type: integer}, on: {type: date, stored: text, pattern: DD-MM-QQQQ}}}"},
	{NotSettled, Definitions, "A proposed column leaves two readings open.", "{pikegate: 1, dataset: g, source: harbour, table: t, key: [id], columns: {id: {type: integer}, on: {type: date, stored: text, pattern: d/M/yyyy or M/d/yyyy}}}"},
	{EngineCannot, Definitions, "The database of the source has no way to do it.", "{pikegate: 1, dataset: g, source: harbour, table: t, key: [id], columns: {id: {type: integer}, on: {type: date, stored: native}}}"},
	{NotATimetable, Definitions, "The times of a schedule cannot be read.", "{pikegate: 1, schedule: s, report: r, at: when it suits, zone: Europe/Helsinki}"},
	{NoSuchRunDay, Definitions, "Not every month, quarter or year has the day on which a schedule is to run.", "{pikegate: 1, schedule: s, report: r, at: 31 of month at 07:00, zone: Europe/Helsinki}"},
	{PersonalCondition, Definitions, "A group has a condition on who runs it beside one that cannot be told before anybody answers.", "{pikegate: 1, query: h, of: sailings, where: {any: [{route: {any_of: {person: routes}}}, {on: {within: last month}}]}, show: [id]}"},
	{KeyKeptBack, Definitions, "A column of the key is kept from people: results are told apart by it.", "{pikegate: 1, dataset: g, source: harbour, table: t, key: [id], columns: {id: {type: integer, kept_from: [reader]}}}"},
	{JoinMultiplies, Definitions, "A record can find several in the joined table, and would be counted once for each.", "{pikegate: 1, dataset: g, source: harbour, table: t, key: [id], columns: {id: {type: integer}}, joins: [{table: u, key: [a, b], on: {a: id}}]}"},
	{NotOneSelect, Definitions, "The custom SQL is not one SELECT.", "{pikegate: 1, dataset: g, source: harbour, key: [id], columns: {id: {type: integer}}, sql: DELETE FROM t}"},
	{SQLNotClosed, Definitions, "A text, name, comment or bracket of the custom SQL is not closed.", "{pikegate: 1, dataset: g, source: harbour, key: [id], columns: {id: {type: integer}}, sql: \"SELECT 'id FROM t\"}"},
	{SQLNotKnown, Definitions, "The custom SQL has a way of writing that its engine might read otherwise.", "{pikegate: 1, dataset: g, source: harbour, key: [id], columns: {id: {type: integer}}, sql: \"SELECT id FROM t WHERE a = $1\"}"},
	{SQLNotAllowed, Definitions, "The custom SQL calls a function or reads a table that it may not use.", "{pikegate: 1, dataset: g, source: harbour, key: [id], columns: {id: {type: integer}}, sql: \"SELECT load_extension(1) AS id\"}"},
	{NoSuchPlaceholder, Definitions, "The custom SQL has no such placeholder.", "{pikegate: 1, dataset: g, source: harbour, key: [id], columns: {id: {type: integer}}, sql: \"SELECT id FROM t\", values: {day: days}}"},
	{NeedsAnswer, Definitions, "A placeholder needs an answer, and its prompt may be left unanswered.", "{pikegate: 1, dataset: g, source: harbour, key: [id], columns: {id: {type: integer}, on_day: {type: date, stored: yyyymmdd}}, sql: SELECT id FROM t WHERE on_day >= :days_first}"},
	{LastDayLost, Definitions, "The custom SQL would lose the last day, or a part of it.", "TestWrongDefinitions"},
	{DayTooMany, Definitions, "The custom SQL would take in a day, or a part of one, that was not asked for.", "TestWrongDefinitions"},
	{NotComparable, Definitions, "It cannot be told which column the placeholder is compared with.", "TestWrongDefinitions"},
	{NeverHolds, Definitions, "No record can fulfil the conditions together, whatever is answered.", "{pikegate: 1, filter: g, of: sailings, where: {all: [{minutes: {more_than: 10}}, {minutes: {less_than: 5}}]}}"},
	{AlwaysHolds, Definitions, "The conditions leave nothing out.", "{pikegate: 1, filter: g, of: sailings, where: {any: [{minutes: {more_than: 5}}, {minutes: {less_than: 10}}]}}"},
	{Implied, Definitions, "Another condition says as much already.", "{pikegate: 1, filter: g, of: sailings, where: {all: [{minutes: {more_than: 10}}, {minutes: {more_than: 5}}]}}"},
	{NoSort, Definitions, "The query has no sort.", "{pikegate: 1, query: g, of: sailings, show: [id]}"},
	{DateNotShown, Definitions, "Records are asked for by a date that is not shown.", "{pikegate: 1, query: g, of: sailings, show: [id], sort: [id], where: {on: {within: {prompt: days}}}}"},
	{NoUpperSide, Definitions, "A condition on a date has no upper side: records of days to come match too.", "{pikegate: 1, query: g, of: sailings, show: [id], sort: [id], where: {on: {from: 1 Mar 2026}}}"},
	{DayLeftOut, Definitions, "A condition leaves out the first or the last day of a month.", "{pikegate: 1, query: g, of: sailings, show: [id], sort: [id], where: {on: {after: 2026-03-01}}}"},
	{OptionalUnderAny, Definitions, "A condition under any has a prompt that may be left unanswered.", "{pikegate: 1, filter: g, of: sailings, where: {any: [{route: {any_of: {prompt: routes}}}, {minutes: {more_than: 5}}]}}"},
	{DefaultAges, Definitions, "The default stays on the same days for ever.", "{pikegate: 1, prompt: p, ask: When, type: period, default: Mar 2026}"},
	{PromptNotUsed, Definitions, "The report asks a prompt whose answer changes nothing.", "{pikegate: 1, report: g, title: G, prompts: [days, routes], sections: [{table: {query: by-day}}]}"},
	{ListIgnoresPeriod, Definitions, "A list of choices does not follow the period that is asked for beside it.", "{pikegate: 1, prompt: p, ask: Which, type: choice, choices: {of: sailings, value: route}}\n---\n{pikegate: 1, query: h, of: sailings, show: [id, on], sort: [id], where: {all: [{on: {within: {prompt: days}}}, {route: {is: {prompt: p}}}]}}\n---\n{pikegate: 1, report: g, title: G, prompts: [days, p], sections: [{table: {query: h}}]}"},
	{NotUsed, Definitions, "Nothing uses the definition.", "{pikegate: 1, filter: g, of: sailings, where: {route: {is: A}}}"},
	{ComparesWithAName, Definitions, "A value is written like the name of a prompt, and is compared as it is written.", "{pikegate: 1, filter: g, of: sailings, where: {route: {is: \"{{routes}}\"}}}"},
	{IndexNotUsed, Definitions, "No index can serve the condition, since the texts do not sort by time.", "{pikegate: 1, filter: g, of: sailings, where: {written: {within: 2026}}}"},
	{NoSuchTable, Sources, "The source has no such table.", "{pikegate: 1, dataset: g, source: harbour, table: sailngs, key: [id], columns: {id: {type: integer}}}"},
	{NoSuchColumn, Sources, "The table has no such column.", "{pikegate: 1, dataset: g, source: harbour, table: sailings, key: [sailing_id], columns: {sailing_id: {type: integer}, rout: {type: text}}}"},
	{KeyNotUnique, Sources, "The key does not tell records apart, or nothing in the database keeps it so.", "{pikegate: 1, dataset: g, source: harbour, table: sailings, key: [route], columns: {route: {type: text}}}"},
	{StoredOtherwise, Sources, "The values of a column are not stored as the dataset says.", "{pikegate: 1, dataset: g, source: harbour, table: sailings, key: [sailing_id], columns: {sailing_id: {type: integer}, route: {type: date, stored: yyyymmdd}}}"},
	{OtherCollation, Sources, "The database compares the texts of a column otherwise than by code point, so that no index serves.", "TestPlans"},
	{SQLRefused, Sources, "The database does not understand the custom SQL.", "{pikegate: 1, dataset: g, source: harbour, key: [id], columns: {id: {type: integer}}, sql: SELECT id FROM no_such_table}"},
	{NoIndex, Sources, "No index serves the condition, and the table is large.", "TestTheService"},
	{MostlyMissing, Sources, "A figure is of a column that most records have no value of.", "TestFindingsAboutSections"},
	{ManySeries, Sources, "A chart is split by a column with more values than can be told apart.", "TestFindingsAboutSections"},
	{SourceNotAsked, Sources, "The source could not be asked whether it has what the definition describes.", "{pikegate: 1, source: g, zone: Europe/Helsinki, engine: postgres, address: {env: PIKEGATE_NOWHERE}}"},
	{AccountMayWrite, Sources, "The account of the source may do more than read.", "TestAccountsThatMayWrite"},
	{ProofFailed, Sources, "The answers of a proof bring something else than it says.", "TestProofs"},
	{FileNotRead, Loads, "The file is not what its format asks for.", "\"id\n1"},
	{RowsRefused, Loads, "Some rows do not fit; nothing was loaded.", "id,n\n1,2\n2,3,4"},
	{TableDoesNotFit, Loads, "The table, its key or its columns do not go with the file.", "--key none: id\n1"},
	{DatesTwoWays, Loads, "The dates of a column can be read in two ways.", "on\n3/4/2026\n5/6/2026"},
	{RowOfTotals, Loads, "The last row looks like a row of totals.", "id,fare\n1,10\n2,20\nTotal,30"},
	{TooManyColumns, Loads, "The file has more columns than are loaded.", "TestFilesThatHoldTooMuch"},
	{FieldTooLong, Loads, "A field is longer than is loaded.", "TestFilesThatHoldTooMuch"},
	{UnpacksTooLarge, Loads, "The file unpacks to more than is loaded.", "TestFilesThatHoldTooMuch"},
	{NotOffered, Requests, "A result is wanted in a format that there is not; the formats are listed.", "POST /api/v1/reports/late-sailings/runs?output=docx {\"answers\": {}}"},
	{InvalidRequest, Requests, "The request does not have the shape that the OpenAPI document describes.", "POST /api/v1/reports/late-sailings/runs {\"answers\": 7}"},
	{NotFound, Requests, "The service has no such path, or no such method of it.", "GET /api/v1/nothing"},
	{Unknown, Requests, "Nothing has the name that was given.", "GET /api/v1/reports/nothing"},
	{UnknownSection, Requests, "The report has no section of that number.", "POST /api/v1/reports/late-sailings/runs?section=9 {}"},
	{SectionNotChosen, Requests, "The format has room for one section, and the report has several.", "POST /api/v1/reports/sailings-in-figures/runs {\"limit\": 1, \"skip\": 1}"},
	{ViewNotAllowed, Requests, "The report does not let its readers change that of its table.", "POST /api/v1/reports/late-sailings/runs {\"view\": {\"sort\": [\"route\"]}}"},
	{UnknownReceipt, Requests, "No receipt has the number, or it is of another report.", "GET /api/v1/receipts/999999"},
	{UnknownDefinition, Requests, "No definition has the name, or it has no such revision.", "GET /api/v1/definitions/query/nothing"},
	{NotPublished, Requests, "The definition is stored and not published.", "TestCommands"},
	{NotRecorded, Requests, "The receipt does not tell enough of its run to run it again.", "TestReceiptsThatCannotBeRead"},
	{NotAMonth, Requests, "It is no month such as 2026-03.", "GET /api/v1/reports/late-sailings/prompts/travel-period/histogram?month=March"},
	{UnknownSetting, Requests, "The file of settings has a key that is no setting.", "TestCommands"},
	{AnswersRefused, Requests, "Answers were read and refused; errors has each.", "POST /api/v1/reports/late-sailings/runs {\"answers\": {\"travel-period\": \"30 Feb 2026\"}}"},
	{DefinitionsRefused, Requests, "Definitions were read and refused; errors has each.", "POST /api/v1/definitions {\"files\": [{\"name\": \"a.yaml\", \"text\": \"pikegate: 2\"}]}"},
	{DefinitionInError, Requests, "The definition of the report does not fit any more; nothing was run.", "TestABrokenDefinitionIsLeftOut"},
	{LoadRefused, Requests, "The file cannot be loaded whole; errors has each row.", "POST /api/v1/loads/mine?format=csv a,a"},
	{Conflict, Requests, "Somebody else saved in between, or the change would break what is used.", "TestTheSecondSaveIsNotLost"},
	{InUse, Requests, "Other definitions build on it; nothing was changed.", "DELETE /api/v1/definitions/prompt/travel-period"},
	{NameTaken, Requests, "A table or a definition has the name already.", "TestCommands"},
	{EditNotMade, Requests, "The edit does not go with the text as it stands; nothing was changed.", "TestDrafts"},
	{DraftMovedOn, Requests, "The draft was saved elsewhere meanwhile, in another window for one.", "TestDrafts"},
	{RunAgain, Requests, "There are no further rows of the run: the report has changed since, or it brought none.", "TestFurtherRowsOfARun"},
	{UnknownKept, Requests, "There are no such kept answers, or none that one sees.", "TestKeptAnswers"},
	{UnknownLink, Requests, "There is no such live link.", "TestLiveLinks"},
	{LinkRevoked, Requests, "The live link was revoked.", "TestLiveLinks"},
	{SignInRequired, Requests, "One has to sign in, or the session or token that was sent has ended.", "TestWhoMayDoWhat"},
	{SignInRefused, Requests, "The name or the password is not right.", "TestSignIn"},
	{TooManyRequests, Requests, "Somebody makes more requests than a person may; Retry-After says how long to wait.", "TestThePaceOfAPerson"},
	{TooManyTries, Requests, "Too many passwords were refused lately; Retry-After says how long to wait.", "TestWrongPasswordsInBursts"},
	{RightMissing, Requests, "The person may not do it; the message names the role that may.", "TestWhoMayDoWhat"},
	{PersonRefused, Requests, "A name, a password or a role cannot be taken.", "TestPeople"},
	{UnknownPerson, Requests, "Nobody has the name.", "TestPeople"},
	{UnknownGroup, Requests, "No group has the name.", "TestGroups"},
	{UnknownSchedule, Requests, "There is no schedule of the name.", "TestSchedulesOfOnesOwn"},
	{UnknownMail, Requests, "The mail stand-in has no such mail, or there is none.", "TestSchedulesByHTTP"},
	{UnknownToken, Requests, "One has no such session or token.", "TestPeople"},
	{NotRunning, Requests, "The run that is to be cancelled has ended.", "TestARunThatGoesOn"},
	{TooLarge, Requests, "The body is larger than is read.", "TestTheService"},
	{Forbidden, Requests, "The page of another site sent it.", "TestWhoIsLetThrough"},
	{WrongHost, Requests, "The name in Host is none of the service.", "TestWhoIsLetThrough"},
	{TooSlow, Requests, "The body did not come in time.", "TestLoadsWithinLimits"},
	{Busy, Requests, "As many files as may be are being loaded.", "TestLoadsWithinLimits"},
	{NoRoom, Requests, "The disk, or the service's own records, have no room left.", "TestAFullDisk"},
	{SourceFailed, Requests, "The source did not answer, or not with what was asked.", "TestTheService"},
	{SourceBusy, Requests, "As many runs as the source allows run and wait already.", "TestTheLimitsOfASource"},
	{CutByTime, Requests, "The run took longer than it may.", "TestStates"},
	{CutBySize, Requests, "The result has more rows than its source allows.", "TestTheLimitsOfASource"},
	{Cancelled, Requests, "The run was cancelled, or whoever asked went away.", "TestStates"},
	{Failed, Requests, "The service failed; its log has the cause.", "TestExitCodes"},
	{Usage, Client, "The command line was not typed as the command asks for.", "TestCommands"},
	{Unreached, Client, "The service cannot be reached.", "TestCommands"},
	{Interrupted, Client, "The command was interrupted.", "TestCommands"},
	{AndMore, Requests, "There are more faults than are told.", "TestRefusedRequestsThatAreLarge"},
}
