package definition

import (
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/summary"
)

// key is a key of a mapping. The tables of this file are all the keys that there are: the
// reader takes no others, and the JSON Schema and the reference are made of them.
type key struct {
	name   string
	value  object // what stands there, in JSON Schema
	needed bool
	with   []string // the variants of the mapping that have it, such as types; all where there are none
}

type keys []key

// may is a key that can be left out.
func may(name string, value object, with ...string) key {
	return key{name: name, value: value, with: with}
}

// must is a key that has to be there, in the variants that have it.
func must(name string, value object, with ...string) key {
	return key{name: name, value: value, needed: true, with: with}
}

// has reports whether one of the variants has the key.
func (k key) has(variants []string) bool {
	return len(k.with) == 0 || slices.ContainsFunc(k.with, func(v string) bool { return slices.Contains(variants, v) })
}

// of are the keys that one of the variants has.
func (k keys) of(variants ...string) keys {
	return slices.DeleteFunc(slices.Clone(k), func(one key) bool { return !one.has(variants) })
}

// names are the keys' names.
func (k keys) names() []string {
	all := make([]string, len(k))
	for i, one := range k {
		all[i] = one.name
	}
	return all
}

// words are the texts of a list of types, as variants.
func words[T ~string](types ...T) []string {
	all := make([]string, len(types))
	for i, t := range types {
		all[i] = string(t)
	}
	return all
}

// kindKeys are the keys of each kind of definition.
var kindKeys = map[catalog.Kind]keys{
	catalog.KindSource: kind("source", "A database of business records.",
		may("title", text("What people call it.")),
		must("zone", text("IANA zone that days are taken in.")),
		may("clock", text("What people call that zone's time.")),
		may("engine", oneOfTheseSchema(catalog.Engines, "What kind of database it is; embedded where absent, the SQLite file of the service.")),
		may("file", text("An SQLite file; a relative name lies in the service's directory.")),
		may("address", oneKey(referenceKeys.schema("Where the server's address is kept, a URL: postgres://user@host:5432/database or mariadb://user@host:3306/database."))),
		may("password", oneKey(referenceKeys.schema("Where the password is kept, if not in the address."))),
		may("schema", text("Schema or database on the server, where it is not the one that the address leads to.")),
		may("limits", limitKeys.schema("What the source may be asked for.")),
		may("counting", object{"description": "How the records of large tables are counted in the background; off for not at all.",
			"oneOf": []any{object{"enum": []string{"off"}}, countingKeys.schema("")}}),
	),
	catalog.KindDataset: kind("dataset", "Records of a source.",
		may("title", text("What its records are called, in the plural.")),
		may("source", name("Its source."), ofItsOwn),
		may("table", text("The table."), ofItsOwn),
		may("joins", list(joinKeys.schema(""), "Tables whose records stand beside those of the first."), ofItsOwn),
		may("sql", text("A single SELECT with named placeholders, in place of a table; :criteria marks where criteria go."), ofItsOwn),
		may("values", object{"type": "object", "description": "The column whose stored form each placeholder takes, where it is not the one that it is compared with.",
			"additionalProperties": object{"oneOf": []any{object{"type": "string"}, placeholderKeys.schema("")}}}, ofItsOwn),
		may("key", list(object{"type": "string"}, "The columns that tell one record from every other."), ofItsOwn),
		may("columns", object{"description": "Its columns by name; of a dataset on another, the names of some.", "oneOf": []any{
			object{"type": "object", "additionalProperties": columnKeys.schema(""), "minProperties": 1}, list(object{"type": "string"}, "")}}),
		may("of", name("Another dataset, whose records it has.")),
		may("where", ref("criteria", "Which of them, of a dataset on another."), onAnother),
	),
	catalog.KindPeriod: kind("period", "A named period of the business.",
		may("title", text("What people call it; its name where absent.")),
		must("from", text("First day, such as 1 Jun.")),
		must("through", text("Last day, such as 31 Aug.")),
		may("years", list(object{"type": "integer"}, "The years that it starts in; every year where absent.")),
	),
	catalog.KindPrompt: promptKeys(),
	catalog.KindFilter: kind("filter", "Criteria for queries to share.",
		must("of", name("The dataset.")),
		must("where", ref("criteria", "The criteria.")),
	),
	catalog.KindQuery: kind("query", "Which records, in what order, or what to tell of them in sum.",
		must("of", name("The dataset.")),
		may("show", list(object{"type": "string"}, "The columns to show, of a query of records."), ofRecords),
		may("group", list(object{"oneOf": []any{object{"type": "string"}, object{"type": "object", "additionalProperties": groupKeys.schema(""), "minProperties": 1, "maxProperties": 1}}},
			"Columns that records are put together by, in a summary: each by its values, dates by a unit of the calendar; one row about all records where absent."), ofSummary),
		may("summaries", object{"type": "object", "minProperties": 1, "description": "The figures of a summary, by their names.",
			"additionalProperties": object{"oneOf": figureForms()}}, ofSummary),
		may("where", ref("criteria", "Which records.")),
		may("having", ref("criteria", "Which rows of a summary, by its figures."), ofSummary),
		may("sort", list(object{"type": "string"}, "Columns, each ascending or descending.")),
	),
	catalog.KindReport: kind("report", "What end users see.",
		must("title", text("What people read.")),
		may("about", text("What it is for.")),
		may("shelf", text("The heading that it is found under.")),
		may("prompts", list(object{"oneOf": []any{name(""), wordingKeys.schema("")}},
			"The questions, in the order in which they are asked; where absent, all that its conditions need, in the order in which they are met.")),
		may("where", ref("criteria", "Holds beside the query's own.")),
		may("limits", reportLimitKeys.schema("What a run may cost.")),
		must("sections", list(sectionSchema(), "What it shows, in order: figures, charts and tables.")),
	),
	catalog.KindProof: kind("proof", "Answers with what must come back for them.",
		may("report", name("The report that is proved.")),
		may("query", name("Or the query.")),
		must("as_of", text("The day taken for today.")),
		may("answers", answersSchema),
		must("expect", func() object {
			expected := expectedKeys.schema("What must come back.")
			expected["minProperties"] = 1
			return expected
		}()),
	),
	catalog.KindSchedule: kind("schedule", "A report with the times at which it is run, and where its results are sent; or when proofs are run and definitions are checked.",
		may("report", name("The report.")),
		may("check", object{"description": "Or what is checked: proofs, all (proofs and what is found in definitions), or proofs by name.", "oneOf": []any{oneOfTheseSchema([]string{"proofs", "all"}, ""), list(name(""), "")}}),
		may("tell", list(object{"type": "string", "format": "email"}, "Where what is checked: who is told by mail, beside the owner, when something starts to fail and when all holds again.")),
		may("answers", answersSchema),
		must("at", text("When, such as weekdays at 06:30.")),
		may("zone", text("IANA zone whose clocks show the times; that of the report where absent.")),
		may("missed", oneOfTheseSchema([]string{"once", "skip"}, "What becomes of times that passed while the service was down; once where absent.")),
		may("send", list(oneKey(sendKeys.schema("")), "Where results of the report are sent.")),
	),
}

var answersSchema = object{"type": "object", "description": "Answers by prompt; an absent one takes its default, null leaves it open.", "additionalProperties": object{"oneOf": []any{
	scalar(""), object{"type": "null"}, list(scalar(""), ""), sideKeys.schema("")}}}

var sendKeys = keys{
	may("mail", mailKeys.schema("A mail to each of some people.")),
	may("folder", folderKeys.schema("A file in the directory that results are delivered to.")),
	may("hook", hookKeys.schema("A signed message to another program, as JSON.")),
}

var whenKey = may("when", object{"type": "string", "pattern": "^(always|records|changed|records more than [0-9]+)$", "description": "On which results; always where absent."})

var mailKeys = keys{
	must("to", list(object{"type": "string", "format": "email"}, "Their addresses; each gets a mail of their own.")),
	may("attach", object{"description": "The formats in which the result is attached.", "oneOf": []any{oneOfTheseSchema(attachable, ""), list(oneOfTheseSchema(attachable, ""), "")}}),
	whenKey,
}

var folderKeys = keys{
	may("path", text("A directory below the one that results are delivered to.")),
	must("name", text("The name of the file, with {as_of}, {date}, {time}, {schedule} and {receipt} in it; its ending is the format.")),
	may("keep", text("How long files are kept, such as 30 days; for ever where absent.")),
	whenKey,
}

var hookKeys = keys{
	must("url", text("Where it is posted to.")),
	must("secret", oneKey(referenceKeys.schema("Where the secret is kept that it is signed with."))),
	whenKey,
}

// attachable are the formats of files that can be sent.
var attachable = []string{"csv", "xlsx", "pdf", "json", "ndjson"}

// kindWays are the keys of which one or the other set has to be there.
var kindWays = map[catalog.Kind][]object{
	catalog.KindDataset: {{"required": []string{"source", "table", "key", "columns"}}, {"required": []string{"source", "sql", "key", "columns"}}, {"required": []string{"of"}}},
	catalog.KindQuery:   {{"required": []string{"show"}}, {"required": []string{"summaries"}}},
	catalog.KindProof:   {{"required": []string{"report"}}, {"required": []string{"query"}}},
}

// kind is a table of keys with those that every definition starts with.
func kind(what, description string, more ...key) keys {
	return append(keys{
		must("pikegate", object{"description": "Version of the format.", "enum": []any{1, "1"}}),
		must(what, name(description)),
	}, more...)
}

// The variants of a dataset: records of a source, or those of another dataset.
const (
	ofItsOwn  = "own"
	onAnother = "of"
)

// The variants of a query: one of records, or one that sums them up.
const (
	ofRecords = "records"
	ofSummary = "summary"
)

var groupKeys = keys{
	must("by", oneOfTheseSchema(summary.Bys, "The unit of the calendar, or the part of it or of the day that comes again.")),
	may("fill", truth("Units or parts without records are shown too.")),
}

// figureKeys are the keys of a figure: one for each kind, with the column that it is of.
func figureKeys() keys {
	all := keys{
		may("label", text("What people read.")),
		may("scale", whole("Digits after the point: of an average two more than the column has where absent, of a share 1, of a ratio 2."), words(summary.Average, summary.Share, summary.Per)...),
	}
	for _, kind := range summary.Kinds {
		what := text("The column.")
		switch kind {
		case summary.Count:
			what = oneOfTheseSchema([]string{"records"}, "What is counted.")
		case summary.Share:
			what = text("Another figure, a count of records or a sum.")
		case summary.Per:
			what = list(object{"type": "string"}, "Two figures, the first of which is divided by the second.")
		}
		all = append(all, must(string(kind), what, string(kind)))
	}
	return all
}

// figureForms are the forms that a figure can have, in JSON Schema.
func figureForms() []any {
	forms := []any{object{"enum": []summary.Kind{summary.Count}}}
	for _, kind := range summary.Kinds {
		forms = append(forms, figureKeys().of(string(kind)).schema(""))
	}
	return forms
}

var referenceKeys = keys{
	may("env", text("A variable of the service's environment.")),
	may("file", text("A file that the service can read.")),
}

var reportLimitKeys = keys{
	may("read", scalar("The most records that a run may have the database read, such as 5 million; a longer period is refused before anything is read.")),
}

var limitKeys = keys{
	may("time", text("The longest that a statement may take, such as 90s or 5m.")),
	may("rows", whole("The most rows of a result.")),
	may("at_once", whole("The most runs at once; 8 where absent.")),
	may("waiting", whole("The most runs that wait for their turn; 64 where absent.")),
}

var countingKeys = keys{
	may("share", object{"enum": []int{0, 1}, "description": "How many of the places for runs counting may take; with 0 it goes on only while nobody reads; 1 where absent."}),
	may("from", text("The first time of day at which it may go on, such as 20:00; at any time where absent.")),
	may("through", text("The last such time of day, such as 06:00.")),
	may("again_after", text("The age from which on counts are made anew where the data changed, such as 12h; 24h where absent.")),
}

// columnOfTable and textStored are variants of a column beside its type: one in a table,
// whose name there can be another, and a date that is held as text.
const (
	columnOfTable = "in a table"
	textStored    = "stored as text"
)

var columnKeys = keys{
	may("table", text("The table that it is in, where it is a joined one."), columnOfTable),
	may("column", text("Its name there, where it is another."), columnOfTable),
	may("label", text("What people read.")),
	must("type", oneOfTheseSchema(column.Types, "What its values mean.")),
	may("scale", whole("Digits after the point; decimals."), words(column.Decimal)...),
	may("stored", oneOfTheseSchema([]column.Stored{column.Native, column.StoredText, column.EightDigits, column.SerialDays, column.EpochSeconds, column.EpochMillis}, "How a date is stored in the database; text on a decimal that an SQLite file holds as text."),
		words(column.Decimal, column.Date, column.Datetime, column.Instant)...),
	may("pattern", text("Unicode date pattern of a text."), textStored),
	may("zone", text("IANA zone whose wall time the text of an instant shows; UTC where absent."), textStored),
	may("unit", text("Unit of a number."), words(column.Integer, column.Decimal, column.Number)...),
	may("empty", oneOfTheseSchema([]string{"missing"}, "Empty text stands for a missing value."), words(column.Text)...),
	may("kept_from", list(text(""), "The roles and groups of people whom its values are not shown to.")),
}

var joinKeys = keys{
	must("table", text("The table.")),
	may("as", text("What its columns are named by, where it is not its own name.")),
	may("keep", oneOfTheseSchema([]string{"matching", "all"}, "Whether records that find none there stay; matching where absent.")),
	must("key", list(object{"type": "string"}, "Its key: where the join leaves none of it open, a record finds one there at most.")),
	must("on", object{"type": "object", "additionalProperties": object{"type": "string"}, "minProperties": 1, "description": "Its columns, each with the column of the dataset that has the same value."}),
}

var placeholderKeys = keys{
	may("prompt", name("The prompt, where its name is another.")),
	may("column", text("The column.")),
}

// The variants of a prompt beside its types: one that is worked out from another, one of
// which a first and a last are asked for, and one that takes several.
const (
	workedOut = "derived"
	paired    = "pair"
	several   = "many"
)

func promptKeys() keys {
	limit := "A day or a phrase for one; of moments and units one of those."
	asked := words(prompt.Types...)
	dated := words(prompt.Day, prompt.Days, prompt.Period, prompt.Month, prompt.Quarter, prompt.Year, prompt.Moment, prompt.MomentPeriod)
	units := words(prompt.Month, prompt.Quarter, prompt.Year)
	lengths := append(words(prompt.Period, prompt.MomentPeriod), paired)
	counted := append(words(prompt.Days, prompt.Number, prompt.NumberRange), several)
	ranges := words(prompt.Period, prompt.MomentPeriod, prompt.NumberRange)
	return kind("prompt", "A question.",
		must("ask", text("The question, as people read it.")),
		may("help", text("More about it.")),
		may("derived", text("previous, year-before, start of or end of, and the prompt that the answer is worked out from.")),
		may("type", oneOfTheseSchema(prompt.Types, "The kind of answer."), asked...),
		may("required", truth("Some answer must be given."), asked...),
		may("hidden", truth("Not asked: the default is its value."), asked...),
		may("default", object{"description": "Taken where no answer is given.", "oneOf": []any{scalar(""), list(scalar(""), "")}}, asked...),
		may("open", oneOfTheseSchema(prompt.OpenSides, "Which sides may be left open."), ranges...),
		may("pair", truth("A first and a last one are asked for."), units...),
		may("offer", list(scalar(""), "Answers to pick from."), slices.Concat(ranges, units, words(prompt.TimeRange))...),
		may("longest", text("Such as 400 days."), lengths...),
		may("shortest", text("Such as 2 weeks."), lengths...),
		may("day_order", oneOfTheseSchema([]phrase.DayOrder{phrase.DayFirst, phrase.MonthFirst}, "How days that are all digits are read."), dated...),
		may("earliest", scalar(limit), dated...),
		may("latest", scalar(limit), dated...),
		may("many", truth("Several may be chosen."), words(prompt.Choice)...),
		may("at_least", object{"type": "number", "description": "The least number, or how many."}, counted...),
		may("at_most", object{"type": "number", "description": "The greatest number, or how many."}, counted...),
		may("unit", text("Shown beside a number."), words(prompt.Number, prompt.NumberRange)...),
		may("most_letters", whole("The most letters of a text."), words(prompt.Text)...),
		may("pattern", text("Regular expression (RE2) that a whole text matches."), words(prompt.Text)...),
		may("pattern_help", text("The pattern in words."), words(prompt.Text)...),
		may("choices", object{"description": "Values, or where they come from.", "oneOf": []any{
			object{"type": "array", "minItems": 1, "items": object{"oneOf": []any{object{"type": []string{"string", "number"}}, choiceKeys.schema("")}}},
			choiceListKeys.schema(""),
		}}, words(prompt.Choice)...),
	)
}

var choiceKeys = keys{
	must("value", scalar("What an answer gives.")),
	may("label", text("What people read.")),
}

var choiceListKeys = keys{
	must("of", name("The dataset.")),
	must("value", text("The column of values.")),
	may("label", text("The column that people read.")),
	may("count", truth("Tell how many records each has.")),
	may("where", ref("criteria", "Which records count.")),
}

var wordingKeys = keys{
	must("prompt", name("The prompt.")),
	may("ask", text("The question, as this report puts it.")),
	may("help", text("More about it, likewise.")),
}

// sectionKeys are the kinds of sections, of which a section is one.
func sectionKeys() keys {
	var all keys
	for _, kind := range catalog.SectionKinds {
		all = append(all, must(string(kind), sectionKinds[kind].schema(sectionAbout[kind]), string(kind)))
	}
	return all
}

// sectionSchema are the forms that a section can have, in JSON Schema.
func sectionSchema() object {
	var forms []any
	for _, kind := range catalog.SectionKinds {
		forms = append(forms, sectionKeys().of(string(kind)).schema(""))
	}
	return object{"oneOf": forms}
}

var sectionAbout = map[catalog.SectionKind]string{catalog.Figure: "A number.", catalog.Chart: "A picture of a summary.", catalog.Table: "Records, or the rows of a summary."}

// sectionKinds are the keys of each kind of section.
var sectionKinds = map[catalog.SectionKind]keys{
	catalog.Figure: section("The query whose records it tells of.",
		must("summary", object{"description": "The figure of the summary; of a query of records one that is written out, such as count or {sum: passengers}.", "oneOf": append([]any{object{"type": "string"}}, figureForms()[1:]...)}),
		compareKey,
		may("better", oneOfTheseSchema(catalog.Betters, "Which change is drawn as a good one.")),
		may("line", object{"type": "object", "additionalProperties": groupKeys.schema(""), "minProperties": 1, "maxProperties": 1, "description": "A small line of it along a unit of the calendar, such as {departed_at: {by: day}}."}),
	),
	catalog.Chart: section("The summary that it draws.",
		must("kind", oneOfTheseSchema(catalog.DrawnKinds, "How it is drawn; share is of the whole, as stacked columns.")),
		must("across", text("The group along its axis.")),
		must("up", text("The figure that is drawn.")),
		may("split", text("The group that makes series of it.")),
		may("stacked", truth("The series stand on each other.")),
		may("first", whole("How many series it has at most, or how many values along its axis; the rest is put together as others. 12 series where absent.")),
		compareKey,
	),
	catalog.Table: section("The query that feeds it.",
		may("totals", list(object{"type": "string"}, "The columns whose total over all rows is told.")),
		may("subtotals", object{"description": "What the totals are told for too: the column that the rows are sorted by first, a date by a unit of the calendar.",
			"oneOf": []any{object{"type": "string"}, object{"type": "object", "additionalProperties": groupKeys.schema(""), "minProperties": 1, "maxProperties": 1}}}),
		may("first", whole("How many rows of a summary are shown.")),
		may("rest", truth("The rows behind the first ones are put together in one, named others.")),
		compareKey,
		may("reader_may", list(oneOfTheseSchema(catalog.Freedoms, ""), "What a reader may change of it: which columns it shows and in what order, how it is sorted, by what it is grouped.")),
		may("offer", list(object{"type": "string"}, "Columns of the dataset that a reader may add.")),
	),
}

var compareKey = may("compare", object{"description": "The periods before the one that is asked for which it is compared with.",
	"oneOf": []any{oneOfTheseSchema(comparisons, ""), list(oneOfTheseSchema(comparisons, ""), "")}})

// section is a table of keys with those that each section has.
func section(query string, more ...key) keys {
	return append(keys{
		must("query", name(query)),
		may("label", text("What people read above it.")),
		may("where", ref("criteria", "Holds beside the query's own and the report's.")),
	}, more...)
}

// The variants of an operand that is not written out.
const (
	byColumn = "column"
	byPerson = "person"
	byPrompt = "prompt"
)

var operandKeys = keys{
	must("column", text("Another column of the record."), byColumn),
	must("person", object{"type": "string", "pattern": criteria.AttributePattern, "description": "Something known of who runs it: name, role, or an attribute that an admin sets."}, byPerson),
	must("prompt", name("The prompt whose answer is taken."), byPrompt),
	may("side", oneOfTheseSchema([]criteria.Side{criteria.StartSide, criteria.EndSide}, "One end of the answer."), byPrompt),
}

// partKeys are the parts of the calendar that a recurrence can name.
func partKeys() keys {
	var all keys
	for _, p := range criteria.Parts {
		all = append(all, may(string(p), object{"oneOf": []any{list(object{"type": []string{"string", "number"}}, ""), operandKeys.of(byPrompt).schema("")}}))
	}
	return all
}

var sideKeys = keys{
	may("start", scalar("First, included.")),
	may("end", scalar("Last, included.")),
}

var expectedKeys = keys{
	may("records", whole("How many records.")),
	may("with", list(recordKeySchema, "Keys of records that must be there.")),
	may("without", list(recordKeySchema, "Keys of records that must not be there.")),
	may("totals", object{"type": "object", "additionalProperties": object{"type": []string{"number", "string"}}, "description": "Sums of columns that are shown."}),
	may("fingerprint", object{"type": "string", "pattern": "^[0-9a-f]{64}$", "description": "The fingerprint of the result."}),
}

// recordKeySchema is the key of a record: one value, or several in the order of the key.
var recordKeySchema = object{"oneOf": []any{scalar(""), list(scalar(""), "")}}
