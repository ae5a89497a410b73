package definition

import (
	"encoding/json"
	"slices"
	"strings"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

// Schema is the JSON Schema (2020-12) of one document of a definition file, for
// editors that complete and check as one types. What a schema cannot say, such as
// whether a column is there, the check says.
func Schema() []byte {
	all := make([]any, len(catalog.Kinds))
	for i, kind := range catalog.Kinds {
		k := kindSchemas[kind]
		properties := object{"pikegate": object{"description": "Version of the format.", "enum": []any{1, "1"}}}
		for key, value := range k["properties"].(object) {
			properties[key] = value
		}
		required := append([]string{"pikegate", string(kind)}, k["required"].([]string)...)
		all[i] = object{"type": "object", "title": string(kind), "properties": properties, "required": required, "additionalProperties": false}
		if ways := k["oneOf"]; ways != nil {
			all[i].(object)["oneOf"] = ways
		}
	}
	text, err := json.MarshalIndent(object{
		"$schema": "https://json-schema.org/draft/2020-12/schema",
		"title":   "A definition",
		"oneOf":   all,
		"$defs":   object{"criteria": criteriaSchema(), "condition": conditionSchema(), "name": nameSchema, "operand": operandSchema},
	}, "", "  ")
	if err != nil {
		panic("definition: the schema cannot be written: " + err.Error())
	}
	return append(text, '\n')
}

type object = map[string]any

// kindSchemas are the keys of each kind beside the format's version.
var kindSchemas = map[catalog.Kind]object{catalog.KindSource: sourceSchema, catalog.KindDataset: datasetSchema, catalog.KindPeriod: periodSchema, catalog.KindPrompt: promptSchema(), catalog.KindFilter: filterSchema, catalog.KindQuery: querySchema, catalog.KindReport: reportSchema, catalog.KindProof: proofSchema}

func text(description string) object { return object{"type": "string", "description": description} }

func truth(description string) object { return object{"type": "boolean", "description": description} }

func whole(description string) object {
	return object{"type": "integer", "minimum": 0, "description": description}
}

// scalar is a value that YAML may read as text, as a number or as a truth.
func scalar(description string) object {
	return object{"type": []string{"string", "number", "boolean"}, "description": description}
}

func list(of object, description string) object {
	return object{"type": "array", "items": of, "description": description}
}

func oneOfTheseSchema[T any](values []T, description string) object {
	return object{"enum": values, "description": description}
}

func ref(name, description string) object {
	return object{"$ref": "#/$defs/" + name, "description": description}
}

func name(description string) object { return ref("name", description) }

var (
	nameSchema    = object{"type": "string", "pattern": "^[a-z][a-z0-9]*([-_][a-z0-9]+)*$"}
	operandSchema = object{"oneOf": []any{
		object{"type": []string{"string", "number", "boolean"}},
		object{"type": "array", "items": object{"type": []string{"string", "number", "boolean"}}, "minItems": 1},
		promptOperandSchema,
		object{"type": "object", "properties": object{"column": text("Another column of the record.")}, "required": []string{"column"}, "additionalProperties": false},
		object{"type": "object", "properties": object{"person": oneOfTheseSchema(criteria.Attributes, "Something known of who runs it.")}, "required": []string{"person"}, "additionalProperties": false},
	}}
	promptOperandSchema = object{"type": "object", "properties": object{"prompt": name("The prompt whose answer is taken."), "side": oneOfTheseSchema([]criteria.Side{criteria.StartSide, criteria.EndSide}, "One end of the answer.")},
		"required": []string{"prompt"}, "additionalProperties": false}
	days = list(object{"type": []string{"string", "number"}}, "")
)

func conditionSchema() object {
	properties := object{"ignore_case": truth("Compare texts in any case.")}
	for _, op := range criteria.Ops {
		properties[string(op)] = ref("operand", "")
	}
	parts := object{}
	for _, p := range criteria.Parts {
		parts[string(p)] = object{"oneOf": []any{days, promptOperandSchema}}
	}
	properties[string(criteria.RecursIn)] = object{"type": "object", "properties": parts, "minProperties": 1, "maxProperties": 1, "additionalProperties": false, "description": "A part of the calendar, any year."}
	return object{"oneOf": []any{
		object{"enum": []criteria.Op{criteria.Missing, criteria.Present}},
		object{"type": "object", "properties": properties, "minProperties": 1, "maxProperties": 2, "additionalProperties": false},
	}}
}

func criteriaSchema() object {
	group := list(ref("criteria", ""), "")
	group["minItems"] = 1
	return object{"type": "object", "minProperties": 1, "maxProperties": 1, "description": "A group, a filter, or a column with its condition.",
		"properties":           object{"all": group, "any": group, "none": group, "filter": name("A filter.")},
		"additionalProperties": ref("condition", "")}
}

var sourceSchema = object{"required": []string{"zone"}, "properties": object{
	"source": name("A database of business records."), "title": text("What people call it."),
	"zone": text("IANA zone that days are taken in."), "clock": text("What people call that zone's time."),
	"engine": oneOfTheseSchema(catalog.Engines, "What kind of database it is; embedded where absent, the SQLite file of the service."),
	"file":   text("An SQLite file; a relative name lies in the service's directory."), "schema": text("Schema or database on the server, where it is not the one that the address leads to."),
	"address":  referenceSchema("Where the server's address is kept, a URL: postgres://user@host:5432/database or mariadb://user@host:3306/database."),
	"password": referenceSchema("Where the password is kept, if not in the address."),
	"limits": object{"type": "object", "additionalProperties": false, "description": "What the source may be asked for.", "properties": object{
		"time": text("The longest that a statement may take, such as 90s or 5m."), "rows": whole("The most rows of a result."),
		"at_once": whole("The most runs at once; 8 where absent."), "waiting": whole("The most runs that wait for their turn; 64 where absent."),
	}},
}}

// referenceSchema is where a secret is kept.
func referenceSchema(description string) object {
	return object{"type": "object", "minProperties": 1, "maxProperties": 1, "additionalProperties": false, "description": description,
		"properties": object{"env": text("A variable of the service's environment."), "file": text("A file that the service can read.")}}
}

var columnSchema = object{"type": "object", "required": []string{"type"}, "additionalProperties": false, "properties": object{
	"table": text("The table that it is in, where it is a joined one."), "column": text("Its name there, where it is another."),
	"type": oneOfTheseSchema(column.Types, "What its values mean."), "label": text("What people read."),
	"scale": whole("Digits after the point; decimals."), "unit": text("Unit of a number."), "empty": oneOfTheseSchema([]string{"missing"}, "Empty text stands for a missing value."),
	"stored":  oneOfTheseSchema([]column.Stored{column.Native, column.StoredText, column.EightDigits, column.SerialDays, column.EpochSeconds, column.EpochMillis}, "How a date is stored in the database; text on a decimal that an SQLite file holds as text."),
	"pattern": text("Unicode date pattern of a text."), "zone": text("IANA zone whose wall time the text of an instant shows; UTC where absent."),
}}

var datasetSchema = object{"required": []string{}, "oneOf": []any{object{"required": []string{"source", "table", "key", "columns"}}, object{"required": []string{"source", "sql", "key", "columns"}}, object{"required": []string{"of"}}},
	"properties": object{
		"dataset": name("Records of a source."), "title": text("What its records are called, in the plural."), "source": name("Its source."), "table": text("The table."),
		"joins": list(joinSchema, "Tables whose records stand beside those of the first."),
		"sql":   text("A single SELECT with named placeholders, in place of a table; :criteria marks where criteria go."),
		"values": object{"type": "object", "description": "The column whose stored form each placeholder takes, where it is not the one that it is compared with.", "additionalProperties": object{"oneOf": []any{
			object{"type": "string"}, object{"type": "object", "additionalProperties": false, "properties": object{"prompt": name("The prompt, where its name is another."), "column": text("The column.")}}}}},
		"of":    name("Another dataset, whose records it has."),
		"where": ref("criteria", "Which of them, of a dataset on another."),
		"key":   list(object{"type": "string"}, "The columns that tell one record from every other."),
		"columns": object{"description": "Its columns by name; of a dataset on another, the names of some.", "oneOf": []any{
			object{"type": "object", "additionalProperties": columnSchema, "minProperties": 1}, list(object{"type": "string"}, "")}},
	}}

var joinSchema = object{"type": "object", "required": []string{"table", "key", "on"}, "additionalProperties": false, "properties": object{
	"table": text("The table."), "as": text("What its columns are named by, where it is not its own name."),
	"key":  list(object{"type": "string"}, "Its key: where the join leaves none of it open, a record finds one there at most."),
	"on":   object{"type": "object", "additionalProperties": object{"type": "string"}, "minProperties": 1, "description": "Its columns, each with the column of the dataset that has the same value."},
	"keep": oneOfTheseSchema([]string{"matching", "all"}, "Whether records that find none there stay; matching where absent."),
}}

var periodSchema = object{"required": []string{"from", "through"}, "properties": object{
	"period": name("A named period of the business."), "title": text("What people call it; its name where absent."), "from": text("First day, such as 1 Jun."), "through": text("Last day, such as 31 Aug."),
	"years": list(object{"type": "integer"}, "The years that it starts in; every year where absent."),
}}

func promptSchema() object {
	limit := "A day or a phrase for one; of moments and units one of those."
	choices := object{"description": "Values, or where they come from.", "oneOf": []any{
		object{"type": "array", "minItems": 1, "items": object{"oneOf": []any{
			object{"type": []string{"string", "number"}},
			object{"type": "object", "required": []string{"value"}, "additionalProperties": false, "properties": object{"value": scalar("What an answer gives."), "label": text("What people read.")}},
		}}},
		object{"type": "object", "required": []string{"of", "value"}, "additionalProperties": false, "properties": object{
			"of": name("The dataset."), "value": text("The column of values."), "label": text("The column that people read."), "count": truth("Tell how many records each has."), "where": ref("criteria", "Which records count."),
		}},
	}}
	return object{"required": []string{"ask"}, "properties": object{
		"prompt": name("A question."), "ask": text("The question, as people read it."), "help": text("More about it."), "type": oneOfTheseSchema(prompt.Types, "The kind of answer."),
		"derived":  text("previous, year-before, start of or end of, and the prompt that the answer is worked out from."),
		"required": truth("Some answer must be given."), "hidden": truth("Not asked: the default is its value."),
		"default": object{"description": "Taken where no answer is given.", "oneOf": []any{scalar(""), list(scalar(""), "")}},
		"open":    oneOfTheseSchema(prompt.OpenSides, "Which sides may be left open."), "pair": truth("A first and a last one are asked for."),
		"offer": list(scalar(""), "Answers to pick from."), "longest": text("Such as 400 days."), "shortest": text("Such as 2 weeks."),
		"earliest": scalar(limit), "latest": scalar(limit), "day_order": oneOfTheseSchema([]phrase.DayOrder{phrase.DayFirst, phrase.MonthFirst}, "How days that are all digits are read."),
		"at_least": object{"type": "number", "description": "The least number, or how many."}, "at_most": object{"type": "number", "description": "The greatest number, or how many."},
		"unit": text("Shown beside a number."), "most_letters": whole("The most letters of a text."), "pattern": text("Regular expression (RE2) that a whole text matches."), "pattern_help": text("The pattern in words."),
		"many": truth("Several may be chosen."), "choices": choices,
	}}
}

var filterSchema = object{"required": []string{"of", "where"}, "properties": object{
	"filter": name("Criteria for queries to share."), "of": name("The dataset."), "where": ref("criteria", "The criteria."),
}}

var querySchema = object{"required": []string{"of", "show"}, "properties": object{
	"query": name("Which records, in what order."), "of": name("The dataset."), "show": list(object{"type": "string"}, "The columns to show."),
	"where": ref("criteria", "Which records."), "sort": list(object{"type": "string"}, "Columns, each ascending or descending."),
}}

var reportSchema = object{"required": []string{"title", "sections"}, "properties": object{
	"report": name("What end users see."), "title": text("What people read."), "about": text("What it is for."), "shelf": text("The heading that it is found under."),
	"prompts": list(object{"oneOf": []any{name(""), object{"type": "object", "required": []string{"prompt"}, "additionalProperties": false, "properties": object{
		"prompt": name("The prompt."), "ask": text("The question, as this report puts it."), "help": text("More about it, likewise."),
	}}}}, "The questions, in the order in which they are asked; where absent, all that its conditions need, in the order in which they are met."), "where": ref("criteria", "Holds beside the query's own."),
	"sections": list(object{"type": "object", "required": []string{"table"}, "additionalProperties": false, "properties": object{
		"table": object{"type": "object", "required": []string{"query"}, "additionalProperties": false, "properties": object{"query": name("The query that feeds it.")}},
	}}, "One table."),
}}

var proofSchema = object{"required": []string{"as_of", "expect"}, "oneOf": []any{object{"required": []string{"report"}}, object{"required": []string{"query"}}}, "properties": object{
	"proof": name("Answers with what must come back for them."), "report": name("The report that is proved."), "query": name("Or the query."),
	"as_of": text("The day taken for today."),
	"answers": object{"type": "object", "description": "Answers by prompt; an absent one takes its default, null leaves it open.", "additionalProperties": object{"oneOf": []any{
		scalar(""), object{"type": "null"}, list(scalar(""), ""),
		object{"type": "object", "additionalProperties": false, "properties": object{"start": scalar("First, included."), "end": scalar("Last, included.")}}}}},
	"expect": object{"type": "object", "minProperties": 1, "additionalProperties": false, "description": "What must come back.", "properties": object{
		"records": whole("How many records."), "with": list(keySchema, "Keys of records that must be there."), "without": list(keySchema, "Keys of records that must not be there."),
		"totals":      object{"type": "object", "additionalProperties": object{"type": []string{"number", "string"}}, "description": "Sums of columns that are shown."},
		"fingerprint": object{"type": "string", "pattern": "^[0-9a-f]{64}$", "description": "The fingerprint of the result."},
	}},
}}

// keySchema is the key of a record: one value, or several in the order of the key.
var keySchema = object{"oneOf": []any{scalar(""), list(scalar(""), "")}}

// Key is one key of a kind of definition, as the schema has it.
type Key struct {
	Name        string
	Required    bool
	Description string
}

// Keys lists the keys of a kind by name, those that name it and its format left out.
func Keys(kind catalog.Kind) []Key {
	schema := kindSchemas[kind]
	var keys []Key
	for key, value := range schema["properties"].(object) {
		description, _ := value.(object)["description"].(string)
		if key != string(kind) {
			keys = append(keys, Key{Name: key, Required: slices.Contains(schema["required"].([]string), key), Description: description})
		}
	}
	slices.SortFunc(keys, func(a, b Key) int { return strings.Compare(a.Name, b.Name) })
	return keys
}
