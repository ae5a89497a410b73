package definition

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/edit"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

// mention is where a document names another one.
type mention struct {
	in           catalog.Ref
	line, column int // in its text, from 1
	of           catalog.Ref
	// placeholder is the name in SQL, with _ for -, and at where it stands there, in bytes; "" for
	// another place.
	placeholder string
	at          int
}

// Renamed gives a definition another name wherever documents name it, and changes nothing else of
// their texts. It returns the documents that changed, the renamed one under its new name. A name
// that is taken, or none, is refused, and so is one that a text holds in a way that cannot be
// changed by itself.
func Renamed(docs []catalog.Document, ref catalog.Ref, name string, s phrase.Setting, functions ...string) ([]catalog.Document, fault.List) {
	to := catalog.Ref{Kind: ref.Kind, Name: name}
	has := func(ref catalog.Ref) bool {
		return slices.ContainsFunc(docs, func(d catalog.Document) bool { return d.Ref == ref })
	}
	switch {
	case !has(ref):
		return nil, fault.List{fault.New(fault.UnknownDefinition, "no %s", ref)}
	case !to.IsValid():
		return nil, fault.List{fault.New(fault.NotAnIdentifier, "%q is not a name; names are small letters and digits, parted by - or _", name).Suggest(nameMeant(name))}
	case has(to):
		return nil, fault.List{fault.New(fault.NameTaken, "there is a %s already", to)}
	}
	l := linker{setting: s, functions: functions, touched: map[catalog.Ref]bool{}}
	l.link(docs)
	var changed []catalog.Document
	for _, d := range docs {
		edits := renaming{document: d, of: ref, to: name}
		if err := edits.find(l.mentioned); err != nil {
			return nil, fault.List{fault.New(fault.EditNotMade, "the %s cannot be changed by itself: %s", d.Ref, err)}
		}
		if len(edits.all) == 0 {
			continue
		}
		after, _, err := edits.parsed.Apply(edits.all...)
		if err != nil {
			return nil, fault.List{fault.New(fault.EditNotMade, "the %s cannot be changed by itself: %s", d.Ref, err)}
		}
		d.Text = after.Text
		if d.Ref == ref {
			d.Ref = to
		}
		changed = append(changed, d)
	}
	return changed, nil
}

// renaming are the edits of a document in which another gets a new name.
type renaming struct {
	document catalog.Document
	parsed   *edit.Document
	of       catalog.Ref
	to       string
	all      []edit.Edit
	keys     map[string]string // the new names of keys, by their paths
}

func (r *renaming) find(mentions []mention) (err error) {
	if r.parsed, err = edit.Parse(r.document.Text); err != nil {
		return err
	}
	r.keys = map[string]string{}
	for _, m := range mentions {
		if m.in != r.document.Ref || m.of != r.of {
			continue
		}
		path, isKey := r.parsed.At(m.line, m.column)
		switch is := r.parsed.Root.Find(path); {
		case isKey:
			r.keys[path] = r.to
		case is == nil || is.Kind != edit.Scalar:
			return fmt.Errorf("the name on line %d is not found", m.line)
		case m.placeholder != "":
			r.placeholder(path, is.Text, m)
		default:
			r.set(path, strings.TrimSuffix(is.Text, r.of.Name)+r.to) // behind "previous " of a derived prompt
		}
	}
	if r.of.Kind == catalog.KindPeriod {
		r.phrases()
	}
	if r.document.Ref == r.of {
		r.set(edit.Path(string(r.of.Kind)), r.to)
	}
	for _, path := range slices.Backward(slices.Sorted(maps.Keys(r.keys))) { // last, and inner ones first, since they change paths
		r.all = append(r.all, edit.Edit{Op: edit.Rename, Path: path, Name: r.keys[path]})
	}
	return nil
}

func (r *renaming) set(path, text string) {
	r.all = append(r.all, edit.Edit{Op: edit.Set, Path: path, Value: edit.TextOf(text)})
}

// placeholder renames a placeholder of SQL, and what is said of it beside.
func (r *renaming) placeholder(path, sql string, m mention) {
	name := strings.ReplaceAll(r.to, "-", "_") + strings.TrimPrefix(m.placeholder, strings.ReplaceAll(r.of.Name, "-", "_"))
	i := slices.IndexFunc(r.all, func(e edit.Edit) bool { return e.Op == edit.Set && e.Path == path })
	if i < 0 {
		i = len(r.all)
		r.set(path, sql)
	}
	// Those before have moved it, by as much as they made the text longer.
	at := m.at + len(r.all[i].Value.Text) - len(sql)
	at += strings.Index(r.all[i].Value.Text[at:], m.placeholder)
	r.all[i].Value = edit.TextOf(r.all[i].Value.Text[:at] + name + r.all[i].Value.Text[at+len(m.placeholder):])
	if said := edit.Path("values", m.placeholder); r.parsed.Root.Find(said) != nil {
		r.keys[said] = name
	}
}

// readByPeople are keys whose values are read by people, and are no phrases.
var readByPeople = map[string]bool{"title": true, "about": true, "ask": true, "help": true, "label": true, "shelf": true, "pattern_help": true, "sql": true}

// phrases renames a period of the business in phrases: last summer-season, summer-season 2026.
func (r *renaming) phrases() {
	name := regexp.QuoteMeta(r.of.Name)
	phrase := regexp.MustCompile(`^([A-Za-z]+ +)` + name + `$|^` + name + `( +[0-9]{4})$`)
	r.parsed.Root.Walk(func(path string, n *edit.Node) {
		last := path[strings.LastIndexByte(path, '/')+1:]
		if m := phrase.FindStringSubmatch(n.Text); m != nil && n.Kind == edit.Scalar && !readByPeople[last] {
			r.set(path, m[1]+r.to+m[2])
		}
	})
}
