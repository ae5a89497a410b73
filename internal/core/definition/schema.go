package definition

import (
	"bytes"
	"encoding/json"
	"fmt"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/criteria"
)

// Schema is the JSON Schema (2020-12) of one document of a definition file, for
// editors that complete and check as one types. It is made of the tables of keys, by which
// definitions are read as well. What a schema cannot say, such as whether a column is
// there, the check says.
func Schema() []byte {
	all := make([]any, len(catalog.Kinds))
	for i, kind := range catalog.Kinds {
		of := kindKeys[kind].schema("")
		of["title"] = string(kind)
		if ways := kindWays[kind]; ways != nil {
			of["oneOf"] = ways
		}
		all[i] = of
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

// schema is a mapping with these keys and no others.
func (k keys) schema(description string) object {
	properties := inOrder{}
	required := []string{}
	for _, key := range k {
		properties = append(properties, property{key.name, key.value})
		if key.needed {
			required = append(required, key.name)
		}
	}
	of := object{"type": "object", "properties": properties, "required": required, "additionalProperties": false}
	if description != "" {
		of["description"] = description
	}
	return of
}

// inOrder are the properties of an object in the order in which people write them.
type inOrder []property

type property struct {
	name  string
	value object
}

// MarshalJSON writes them as an object.
func (p inOrder) MarshalJSON() ([]byte, error) {
	var out bytes.Buffer
	out.WriteByte('{')
	for i, one := range p {
		if i > 0 {
			out.WriteByte(',')
		}
		value, err := json.Marshal(one.value)
		if err != nil {
			return nil, err
		}
		fmt.Fprintf(&out, "%q:%s", one.name, value)
	}
	out.WriteByte('}')
	return out.Bytes(), nil
}

// oneKey is a mapping of which exactly one key is there.
func oneKey(of object) object {
	of["minProperties"], of["maxProperties"] = 1, 1
	return of
}

// Key is one key of a kind of definition, as the schema has it.
type Key struct {
	Name        string
	Required    bool
	Description string
}

// Keys lists the keys of a kind, those that name it and its format left out.
func Keys(kind catalog.Kind) []Key {
	var listed []Key
	for _, k := range kindKeys[kind][2:] {
		description, _ := k.value["description"].(string)
		listed = append(listed, Key{Name: k.name, Required: k.needed, Description: description})
	}
	return listed
}

type object = map[string]any

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
		operandKeys.of(byPrompt).schema(""), operandKeys.of(byColumn).schema(""), operandKeys.of(byPerson).schema(""),
	}}
)

func conditionSchema() object {
	properties := object{"ignore_case": truth("Compare texts in any case.")}
	for _, op := range criteria.Ops {
		properties[string(op)] = ref("operand", "")
	}
	properties[string(criteria.RecursIn)] = oneKey(partKeys().schema("A part of the calendar, any year."))
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
