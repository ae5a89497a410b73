package definition

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

var separator = regexp.MustCompile(`^---(\s|$)`)

// Split cuts a file into its documents and tells the kind and name of each.
func Split(f catalog.File) ([]catalog.Document, fault.List) {
	if !utf8.ValidString(f.Text) {
		return nil, fault.List{fault.New(fault.NotText, "the file is not UTF-8 text").At(fault.Place{File: f.Name})}
	}
	var docs []catalog.Document
	var faults fault.List
	lines := strings.SplitAfter(f.Text, "\n")
	from := 0
	for i := 0; i <= len(lines); i++ {
		if i < len(lines) && !separator.MatchString(lines[i]) {
			continue
		}
		d := catalog.Document{Text: strings.Join(lines[from:i], ""), File: f.Name, Line: from + 1}
		from = i + 1
		r := read(&d)
		if r == nil {
			continue
		}
		d.Ref = r.ref()
		faults = append(faults, r.faults...)
		docs = append(docs, d)
	}
	if len(docs) == 0 && len(faults) == 0 {
		faults = append(faults, fault.New(fault.NoDefinition, "the file holds no definition").At(fault.Place{File: f.Name}))
	}
	return docs, faults
}

// read parses the document's YAML. It is nil for a document without content.
func read(d *catalog.Document) *reader {
	r := &reader{doc: d}
	if len(d.Text) > mostText {
		r.fault(nil, fault.DefinitionTooLarge, "this definition has %d bytes, and at most %d are read", len(d.Text), mostText)
		return r
	}
	if f := tabIn(d); f != nil {
		r.faults = append(r.faults, f)
		return r
	}
	var root yaml.Node
	decoder := yaml.NewDecoder(bytes.NewReader([]byte(d.Text)))
	switch err := decoder.Decode(&root); {
	case errors.Is(err, io.EOF):
		return nil
	case err != nil:
		r.faults = append(r.faults, notYAML(d, err))
		return r
	}
	r.root = root.Content[0]
	if r.root.Kind == yaml.ScalarNode && r.root.Tag == "!!null" {
		return nil
	}
	if !r.within(r.root, 0) {
		r.root = nil
	}
	return r
}

// tabIn finds a tab in the indentation of a line, which YAML forbids with an unhelpful message.
func tabIn(d *catalog.Document) *fault.Fault {
	for i, line := range strings.Split(d.Text, "\n") {
		indent := line[:len(line)-len(strings.TrimLeft(line, " \t"))]
		if at := strings.IndexByte(indent, '\t'); at >= 0 && len(indent) < len(strings.TrimRight(line, "\r")) {
			return fault.New(fault.TabInIndentation, "a tab indents this line; indent with blanks").
				At(fault.Place{File: d.File, Line: d.Line + i, Column: at + 1})
		}
	}
	return nil
}

var yamlLine = regexp.MustCompile(`^yaml: (?:line (\d+): )?(.*)`)

var (
	symbolKey  = regexp.MustCompile(`(?:^|[{,])\s*(?:- *)?(<>|[<>!]=|[<>])\s*:`)
	plainValue = regexp.MustCompile(`:\s+(?:([%@\x60][^\s,}]*|\{\{.*?\}\}|:[\w-]+)|([^,{}"'\[\]:]*\?)[,}])`)
)

// unquoted tells what on a line YAML does not take without quotes; "" for nothing known.
func unquoted(line string) string {
	if m := symbolKey.FindStringSubmatch(line); m != nil {
		var meant []string
		for _, op := range meantOps[m[1]] {
			meant = append(meant, string(op))
		}
		return fmt.Sprintf("YAML does not take %s as a key, and operators are words: write %s", m[1], english.Either(meant))
	}
	if m := plainValue.FindStringSubmatch(line); m != nil {
		if value := m[1]; value != "" && strings.Contains("@:{", value[:1]) {
			return fmt.Sprintf("YAML does not take %s here; an answer is named by the key prompt, {prompt: %s}", value, strings.ReplaceAll(strings.Trim(value, "@:{} "), "_", "-"))
		}
		return fmt.Sprintf("YAML does not take %[1]s without quotes here; write %[1]q", m[1]+m[2])
	}
	return ""
}

func notYAML(d *catalog.Document, err error) *fault.Fault {
	line, message := 1, err.Error()
	if m := yamlLine.FindStringSubmatch(message); m != nil {
		message = m[2]
		if n, err := strconv.Atoi(m[1]); err == nil {
			line = n
		}
	}
	f := fault.New(fault.NotYAML, "this is not YAML: %s", message)
	lines := strings.Split(d.Text, "\n")
	for n := max(line-1, 1); n <= min(line+1, len(lines)); n++ { // the parser may be a line off
		if hint := unquoted(lines[n-1]); hint != "" {
			f.Message, line = hint, n
			break
		}
	}
	f.Cause = err
	return f.At(fault.Place{File: d.File, Line: d.Line + line - 1, Column: 1})
}

// Place is where the value of a key of a document stands, by its path from the top; that of the
// document where there is none such.
func Place(d *catalog.Document, path ...string) fault.Place {
	r := read(d)
	if r == nil || r.root == nil {
		return fault.Place{File: d.File, Line: d.Line, Column: 1}
	}
	n := r.root
	for _, key := range path {
		i := 0
		for i+1 < len(n.Content) && n.Content[i].Value != key {
			i += 2
		}
		if n.Kind != yaml.MappingNode || i+1 >= len(n.Content) {
			break
		}
		n = n.Content[i+1]
	}
	if n == r.root {
		n = nil
	}
	return r.place(n)
}

// SplitAll splits files into their documents, and finds names defined twice.
func SplitAll(files []catalog.File) ([]catalog.Document, fault.List) {
	var docs []catalog.Document
	var found fault.List
	for _, f := range files {
		split, wrong := Split(f)
		docs, found = append(docs, split...), append(found, wrong...)
	}
	if len(docs) > mostDocuments {
		return nil, fault.List{fault.New(fault.TooMany, "the files hold %d definitions, and at most %d are read at once", len(docs), mostDocuments)}
	}
	return docs, append(found, Twice(docs)...).Capped(mostFindings)
}

// Check finds all that is wrong with files and all that misleads in them, errors
// first in each file. What they refer to has to be among them or among beside.
func Check(files []catalog.File, beside []catalog.Document, s phrase.Setting, functions ...string) ([]catalog.Document, *catalog.Catalog, fault.List) {
	docs, found := SplitAll(files)
	if len(found) > 0 {
		return docs, nil, found
	}
	defined := map[catalog.Ref]bool{}
	for _, d := range docs {
		defined[d.Ref] = true
	}
	all := slices.Clone(docs)
	for _, d := range beside {
		if !defined[d.Ref] {
			all = append(all, d)
		}
	}
	defs, faults := Link(all, catalog.RefsOf(docs), s, functions...)
	for _, d := range docs {
		found = append(found, defs.Warnings[d.Ref]...)
	}
	return docs, defs, append(faults, found...).Capped(mostFindings)
}
