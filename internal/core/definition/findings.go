package definition

import (
	"fmt"
	"slices"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/lint"
	"pikegate/internal/core/prompt"
)

// reasoned finds what the criteria of a document can never or always mean.
func (l *linker) reasoned(of *catalog.Dataset, where *criteria.Node) {
	if !l.touched[l.doc.Ref] || of == nil || of.Source == nil || of.Source.Zone == nil || len(l.faults) > 0 || l.shaky {
		return
	}
	for _, f := range (lint.Reason{Setting: l.setting, Zone: of.Source.Zone}).Find(where) {
		beside := "the conditions before it"
		if other, ok := l.places[f.Other]; ok {
			beside = fmt.Sprintf("the condition on line %d", l.place(other).Line)
		}
		if n, ok := l.places[f.Node]; ok {
			l.add(n, f.Fault(beside))
		}
	}
}

// found adds what lint found, each where its part stands. whole stands for the definition.
func (l *linker) found(whole *yaml.Node, found []lint.Found) {
	for _, f := range found {
		n := whole
		if f.Node != nil {
			n = l.places[f.Node]
		}
		if n != nil {
			l.add(n, f.Fault)
		}
	}
}

// ages warns of a default that stays on the same days for ever.
func (l *linker) ages(p *prompt.Prompt, n *yaml.Node) {
	if n == nil {
		return
	}
	if f := lint.Default(p, l.setting); f != nil {
		l.add(n, f)
	}
}

// unused warns of prompts that a report asks in vain, where it names them.
func (l *linker) unused(r *catalog.Report, prompts *yaml.Node) {
	if prompts == nil || slices.ContainsFunc(r.Sections, func(s *catalog.Section) bool {
		return l.broken[catalog.Ref{Kind: catalog.KindQuery, Name: s.From.Name}]
	}) {
		return
	}
	named := map[string]*yaml.Node{}
	for _, n := range prompts.Content {
		named[n.Value] = n
	}
	for _, f := range lint.Report(r, l.catalog.Lists) {
		l.add(named[f.Prompt.Name], f.Fault)
	}
}

// needless warns of parts that nothing uses.
func (l *linker) needless() {
	for ref, d := range l.declared {
		what := ref.Kind
		if l.used[ref] || what == catalog.KindReport || what == catalog.KindProof || what == catalog.KindSchedule || what == catalog.KindSource || what == catalog.KindPeriod || l.broken[ref] {
			continue
		}
		l.catalog.Warnings[ref] = append(l.catalog.Warnings[ref], lint.Unused(ref).At(d.place(nil)))
	}
}
