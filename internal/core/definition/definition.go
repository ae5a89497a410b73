// Package definition reads what developers write: sources, datasets, prompts,
// queries and reports as YAML, each document with its kind and name on top,
//
//	pikegate: 1
//	prompt: travel-period
//	ask: Which days of travel?
//	type: period
//	default: last month
//
// and links them into a Catalog, in which every reference is resolved and
// every condition fits its column. All that is wrong comes back at once, each
// fault with its file, line and column.
package definition

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
)

// Format is the version of the file format, the value of the key "pikegate".
const Format = "1"

// Kind is what a document defines.
type Kind string

const (
	KindSource  Kind = "source"
	KindDataset Kind = "dataset"
	KindPeriod  Kind = "period"
	KindPrompt  Kind = "prompt"
	KindFilter  Kind = "filter"
	KindQuery   Kind = "query"
	KindReport  Kind = "report"
	KindProof   Kind = "proof"
)

// Kinds lists them in the order in which they build on each other.
var Kinds = []Kind{KindSource, KindDataset, KindPeriod, KindPrompt, KindFilter, KindQuery, KindReport, KindProof}

// Ref names one definition.
type Ref struct {
	Kind Kind
	Name string
}

func (r Ref) String() string { return string(r.Kind) + " " + r.Name }

// IsValid reports whether a definition can be called so.
func (r Ref) IsValid() bool { return slices.Contains(Kinds, r.Kind) && isName(r.Name) }

// mostName is how many letters a name has at most.
const mostName = 100

func isName(text string) bool { return len(text) <= mostName && identifier.MatchString(text) }

// Document is one definition as it was written.
type Document struct {
	Ref
	Text string // the YAML, comments and all
	File string // where it came from, for places
	Line int    // the line of the file that the text starts on
	// Revision is its number among those that are stored, 0 for one that is not.
	Revision int
}

// Source is a database that holds business records.
type Source struct {
	Name  string
	Title string
	Zone  *time.Location // the business's time zone
	Clock string         // what people call its time: "Harbour time"
	At    Connection
}

// Engine is what kind of database a source is.
type Engine string

const (
	Embedded Engine = "embedded" // the SQLite file of the service
	SQLite   Engine = "sqlite"   // an SQLite file
	Postgres Engine = "postgres"
	MariaDB  Engine = "mariadb"
)

// Engines lists them in the order of the reference.
var Engines = []Engine{Embedded, SQLite, Postgres, MariaDB}

// Connection is how a source is reached, and what it may be asked for. Two of them
// are the same where they are equal.
type Connection struct {
	Engine   Engine
	File     string        // of an SQLite file; relative names lie in the service's directory
	Address  Reference     // of a server: a URL
	Password Reference     // of a server, where the address has none
	Schema   string        // of a server, "" for the one that the address leads to
	Time     time.Duration // the longest that a statement may take, 0 for as long as a run may
	Rows     int           // the most rows of a result, 0 for any number
	AtOnce   int           // the most runs at once
	Waiting  int           // the most runs that wait for their turn
}

// IsSQLite reports whether the database is an SQLite file.
func (c Connection) IsSQLite() bool { return c.Engine == Embedded || c.Engine == SQLite }

// Place is where it leads, without what may be asked for there.
func (c Connection) Place() Connection {
	return Connection{Engine: c.Engine, File: c.File, Address: c.Address, Password: c.Password, Schema: c.Schema}
}

// Reference is where something secret is kept: in a variable of the environment, or
// in a file.
type Reference struct{ Env, File string }

// Dataset is records of a source with their columns.
type Dataset struct {
	Name    string
	Title   string // what its records are called, in the plural
	Source  *Source
	From    record.From
	Key     []*record.Column
	Columns []*record.Column // in the order as written
	// Base is the dataset that it is on, nil for one on tables or custom SQL.
	Base    *Dataset
	Where   *criteria.Node   // which of their records, those of the bases included; nil for all
	Prompts []*prompt.Prompt // those that its conditions and its SQL use
	Values  map[int]Value    // what the placeholders of its SQL stand for, by their piece

	conditions int // of Where
	bases      int // how many datasets it is built on, one on the other
}

// Origins are where the columns stand in their tables, those of a plain dataset too;
// none of custom SQL.
func (d *Dataset) Origins() []record.Origin {
	if !d.From.IsPlain() {
		return d.From.Origins
	}
	all := make([]record.Origin, len(d.Columns))
	for i, c := range d.Columns {
		all[i] = record.Origin{Name: c.Name, Table: d.From.Table, Column: c.Name}
	}
	return all
}

// HasInKey reports whether the key has a column of the table that is called so.
func (d *Dataset) HasInKey(table string) bool {
	return slices.ContainsFunc(d.Origins(), func(o record.Origin) bool {
		return o.Table == table && slices.ContainsFunc(d.Key, func(k *record.Column) bool { return k.Name == o.Name })
	})
}

// Root is the dataset on tables or SQL that this one is on in the end, itself where it
// is that one.
func (d *Dataset) Root() *Dataset {
	for d.Base != nil {
		d = d.Base
	}
	return d
}

// IsOn reports whether the dataset is the other one, or on it.
func (d *Dataset) IsOn(other *Dataset) bool {
	for ; d != nil; d = d.Base {
		if d == other {
			return true
		}
	}
	return false
}

// Column finds a column by its name, nil where there is none.
func (d *Dataset) Column(name string) *record.Column {
	for _, c := range d.Columns {
		if c.Name == name {
			return c
		}
	}
	return nil
}

// Filter is named criteria on a dataset, for its queries to share.
type Filter struct {
	Name    string
	Of      *Dataset
	Where   *criteria.Node
	Prompts []*prompt.Prompt

	conditions, depth int // of Where, with those of the filters in it
}

// ChoiceList is where a prompt's choices come from: the values of a column.
type ChoiceList struct {
	Of      *Dataset
	Value   *record.Column
	Label   *record.Column   // what people read; Value where there is no other
	Count   bool             // how many records each has is told
	Where   *criteria.Node   // which records count, nil for all
	Prompts []*prompt.Prompt // those whose answers narrow the list
}

// Query is which records to show and in what order.
type Query struct {
	Name    string
	Of      *Dataset
	Show    []*record.Column
	Where   *criteria.Node // nil for all records
	Sort    []criteria.Sort
	Prompts []*prompt.Prompt // those that its conditions use
}

// Report is what end users see.
type Report struct {
	Name    string
	Title   string
	About   string
	Shelf   string
	Prompts []*prompt.Prompt               // in the order in which they are asked
	Wording map[*prompt.Prompt]Wording     // the report's own, of some of them
	Lists   map[*prompt.Prompt]*ChoiceList // where the choices of some of them come from
	Unasked []*prompt.Prompt               // the derived and hidden ones of its conditions
	Where   *criteria.Node                 // holds beside the query's own; nil for none
	Table   *Query
}

// Wording is how a report asks a prompt, "" where the prompt's own serves.
type Wording struct{ Ask, Help string }

// Asked is how the report asks a prompt.
func (r *Report) Asked(p *prompt.Prompt) Wording {
	w := r.Wording[p]
	return Wording{Ask: cmp.Or(w.Ask, p.Ask), Help: cmp.Or(w.Help, p.Help)}
}

// Catalog is a set of definitions that fit together. It does not change once
// it is made.
type Catalog struct {
	Sources  map[string]*Source
	Datasets map[string]*Dataset
	Seasons  map[string]phrase.Season // the named periods of the business
	Prompts  map[string]*prompt.Prompt
	Lists    map[*prompt.Prompt]*ChoiceList // of the prompts whose choices come from data
	Filters  map[string]*Filter
	Queries  map[string]*Query
	Reports  map[string]*Report
	Proofs   map[string]*Proof
	Users    map[Ref][]Ref      // the definitions that build on each, directly
	Warnings map[Ref]fault.List // findings that do not stop publishing
	Broken   map[Ref]bool       // definitions with errors, or made of some that have; none where all fits
}

// Criteria are all the conditions that hold for the report, nil for none.
func (r *Report) Criteria() *criteria.Node { return criteria.Both(r.Table.Criteria(), r.Where) }

// Parts are the criteria that hold together for the report, any of which may be nil:
// those of its dataset first, then those of its query and its own.
func (r *Report) Parts() []*criteria.Node {
	return []*criteria.Node{r.Table.Of.Where, r.Table.Where, r.Where}
}

// Alone is the query as a report that asks what it needs and says nothing of itself.
func (q *Query) Alone() *Report {
	r := &Report{Name: q.Name, Title: q.Name, Table: q}
	for _, p := range q.Prompts {
		if !p.IsAsked() {
			r.Unasked = append(r.Unasked, p)
			p = p.Base
		}
		if p != nil && !slices.Contains(r.Prompts, p) {
			r.Prompts = append(r.Prompts, p)
		}
	}
	return r
}

// Criteria are all the conditions that hold for the query, nil for none.
func (q *Query) Criteria() *criteria.Node {
	if q.Of == nil {
		return q.Where
	}
	return criteria.Both(q.Of.Where, q.Where)
}

// Criteria are all the conditions that hold for the choices, nil for none.
func (c *ChoiceList) Criteria() *criteria.Node { return criteria.Both(c.Of.Where, c.Where) }

// Answered lists the prompts that a run of the report has answers to.
func (r *Report) Answered() []*prompt.Prompt { return slices.Concat(r.Prompts, r.Unasked) }

// PartsOf lists the definitions that one is made of, itself first, what builds on others
// before them.
func (c *Catalog) PartsOf(ref Ref) []Ref {
	parts := []Ref{ref}
	for i := 0; i < len(parts); i++ {
		for of, users := range c.Users {
			if slices.Contains(users, parts[i]) && !slices.Contains(parts, of) {
				parts = append(parts, of)
			}
		}
	}
	slices.SortFunc(parts[1:], func(a, b Ref) int {
		return cmp.Or(slices.Index(Kinds, b.Kind)-slices.Index(Kinds, a.Kind), strings.Compare(a.Name, b.Name))
	})
	return parts
}

func newCatalog() *Catalog {
	return &Catalog{
		Sources:  map[string]*Source{},
		Datasets: map[string]*Dataset{},
		Seasons:  map[string]phrase.Season{},
		Prompts:  map[string]*prompt.Prompt{},
		Lists:    map[*prompt.Prompt]*ChoiceList{},
		Filters:  map[string]*Filter{},
		Queries:  map[string]*Query{},
		Reports:  map[string]*Report{},
		Proofs:   map[string]*Proof{},
		Users:    map[Ref][]Ref{},
		Warnings: map[Ref]fault.List{},
		Broken:   map[Ref]bool{},
	}
}
