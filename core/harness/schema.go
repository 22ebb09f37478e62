package harness

import (
	"encoding/json"
	"fmt"
)

// schema is a piece of a JSON Schema.
type schema map[string]any

// anyScalar is a word: YAML reads 61 and on as other than text, and a word may be either.
var anyScalar = schema{"type": []string{"string", "number", "boolean"}}

var yesNoSchema = schema{"enum": []any{true, false, "on", "off", "yes", "no", "true", "false"}}

func numberSchema(low, high float64) schema {
	return schema{"type": "number", "minimum": low, "maximum": high}
}

func listSchema(item schema, orOne bool) schema {
	list := schema{"type": "array", "items": item}
	if orOne {
		return schema{"anyOf": []schema{item, list}}
	}
	return list
}

func mapSchema(value schema) schema {
	return schema{"type": "object", "additionalProperties": value}
}

func objectSchema(fields []field) schema {
	properties := map[string]schema{}
	required := []string{}
	for _, f := range fields {
		properties[f.key] = f.schema
		if f.required {
			required = append(required, f.key)
		}
	}
	s := schema{"type": "object", "properties": properties, "additionalProperties": false}
	if len(required) > 0 {
		s["required"] = required
	}
	return s
}

// Schema is the JSON Schema (draft 2020-12) of the harness file, made from the same tables of
// fields as the reader. It knows keys, kinds and limits; that a pin exists, or that a command
// is listened to, only [Read] can tell.
func Schema() []byte {
	var kinds []schema
	for _, kind := range Kinds() {
		p := &Part{Spec: newSpec[kind]()}
		s := objectSchema(append(p.common(new(Kind)), p.Spec.fields()...))
		s["title"] = kind
		s["properties"].(map[string]schema)["kind"] = schema{"const": kind}
		kinds = append(kinds, s)
	}
	sections := map[string]schema{
		"harness": {"const": 1},
		"title":   anyScalar,
		"notes":   anyScalar,
		"supply":  objectSchema(new(Supply).fields()),
		"boxes":   mapSchema(objectSchema(new(Box).fields())),
		"parts": {"type": "object", "propertyNames": schema{"pattern": namePattern}, "maxProperties": maxParts,
			"additionalProperties": schema{"$ref": "#/$defs/part"}},
		"wires": {"type": "object", "propertyNames": schema{"pattern": wirePattern}, "maxProperties": maxWires,
			"additionalProperties": schema{"type": []string{"string", "null"}}},
		"states":   mapSchema(schema{"$ref": "#/$defs/state"}),
		"strategy": mapSchema(objectSchema(new(Rule).fields())),
		"sheet":    mapSchema(objectSchema(new(Place).fields())),
	}
	state := objectSchema(new(State).fields(&Circuit{}))
	state["additionalProperties"] = anyScalar // switches and selectors by name
	root := schema{
		"$schema": "https://json-schema.org/draft/2020-12/schema",
		"title":   "Harness file, version 1", "type": "object", "properties": sections,
		"additionalProperties": false, "required": []string{"harness", "parts", "states"},
		"$defs": map[string]schema{"part": {"oneOf": kinds}, "state": state},
	}
	b, err := json.MarshalIndent(root, "", "  ")
	if err != nil {
		panic(fmt.Sprintf("harness: the schema cannot be written: %v", err)) // it holds words and figures only
	}
	return append(b, '\n')
}

// What a part's name and a wire's key look like.
const (
	namePattern = "^[A-Za-z][A-Za-z0-9_/]{0,23}$"
	wirePattern = "^\\S+ - \\S+$"
)
