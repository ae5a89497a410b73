// House holds the source to rules of this project that no linter at hand has. What breaks them today
// is in baseline.txt, as a number for each rule and file: none of these may grow.
//
//	go run ./tools/house [-update] [FINDINGS...]
//
// Beside its own rules it counts what other tools found, whose output is in the files named, one
// finding a line: "file:line:column: message". The rule of those is the name of their file.
//
//   - line: lines are no longer than 120 characters.
//   - if: the initialiser of an if, for or switch sets its own variables alone.
//   - doc: what is exported has a comment that begins with its name.
package main

import (
	"bufio"
	"bytes"
	"errors"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"log"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"
)

const (
	baselineFile = "tools/house/baseline.txt"
	longest      = 120
)

// place is where a rule is broken, and how often the baseline lets it be.
type place struct{ rule, file string }

func main() {
	log.SetFlags(0)
	update := flag.Bool("update", false, "write the baseline anew; numbers in it only become smaller")
	flag.Parse()
	if err := check(*update, flag.Args()); err != nil {
		log.Fatal(err)
	}
}

func check(update bool, reports []string) error {
	files, err := sources()
	if err != nil {
		return err
	}
	found, rules := map[place][]string{}, []string{"line", "if", "doc"}
	for _, file := range files {
		if err := inspect(found, file); err != nil {
			return err
		}
	}
	for _, report := range reports {
		rule, err := include(found, report)
		if err != nil {
			return err
		}
		rules = append(rules, rule)
	}

	allowed, err := readBaseline()
	if err != nil {
		return err
	}
	if update {
		return writeBaseline(found, allowed, rules)
	}
	return compare(found, allowed, rules)
}

// sources are the files of the project that are written by hand.
func sources() (files []string, err error) {
	err = filepath.WalkDir(".", func(path string, entry fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case entry.IsDir():
			if slices.Contains([]string{"node_modules", "dist", "testdata", ".git"}, entry.Name()) {
				return fs.SkipDir
			}
		case strings.HasSuffix(path, ".gen.ts"):
		case slices.Contains([]string{".go", ".ts", ".svelte", ".mjs"}, filepath.Ext(path)):
			files = append(files, path)
		}
		return nil
	})
	return files, err
}

func inspect(found map[place][]string, file string) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	number := 0
	for line := range bytes.Lines(text) {
		number++
		if width := utf8.RuneCount(bytes.TrimRight(line, "\n")); width > longest {
			add(found, "line", file, number, fmt.Sprintf("%d characters, of %d", width, longest))
		}
	}
	if filepath.Ext(file) != ".go" {
		return nil
	}

	set := token.NewFileSet()
	parsed, err := parser.ParseFile(set, file, text, parser.ParseComments)
	if err != nil {
		return err
	}
	ast.Inspect(parsed, func(node ast.Node) bool {
		if init := initialiser(node); init != nil && changes(init) {
			add(found, "if", file, set.Position(init.Pos()).Line, "the initialiser changes what is declared elsewhere")
		}
		return true
	})
	if !strings.HasSuffix(file, "_test.go") && parsed.Name.Name != "main" {
		for _, declared := range parsed.Decls {
			if name, at := undocumented(declared); name != "" {
				add(found, "doc", file, set.Position(at).Line, name+" has no comment that begins with its name")
			}
		}
	}
	return nil
}

func initialiser(node ast.Node) ast.Stmt {
	switch n := node.(type) {
	case *ast.IfStmt:
		return n.Init
	case *ast.SwitchStmt:
		return n.Init
	}
	return nil
}

// changes reports whether a statement assigns to what it does not declare.
func changes(s ast.Stmt) bool {
	switch s := s.(type) {
	case *ast.AssignStmt:
		return s.Tok != token.DEFINE
	case *ast.IncDecStmt:
		return true
	}
	return false
}

// undocumented is the name of an exported function or type without a comment, "" otherwise.
func undocumented(declared ast.Decl) (string, token.Pos) {
	switch d := declared.(type) {
	case *ast.FuncDecl:
		if d.Name.IsExported() && (d.Recv == nil || exportedReceiver(d.Recv)) && !begins(d.Doc, d.Name.Name) {
			return d.Name.Name, d.Pos()
		}
	case *ast.GenDecl:
		if d.Tok != token.TYPE {
			return "", 0
		}
		for _, spec := range d.Specs {
			t := spec.(*ast.TypeSpec)
			if t.Name.IsExported() && !begins(d.Doc, t.Name.Name) && !begins(t.Doc, t.Name.Name) {
				return t.Name.Name, t.Pos()
			}
		}
	}
	return "", 0
}

func exportedReceiver(of *ast.FieldList) bool {
	t := of.List[0].Type
	if star, is := t.(*ast.StarExpr); is {
		t = star.X
	}
	if index, is := t.(*ast.IndexExpr); is {
		t = index.X
	}
	name, is := t.(*ast.Ident)
	return is && name.IsExported()
}

func begins(doc *ast.CommentGroup, name string) bool {
	words := strings.Fields(doc.Text())
	if len(words) > 1 && slices.Contains([]string{"A", "An", "The"}, words[0]) {
		words = words[1:]
	}
	return len(words) > 0 && strings.TrimRight(words[0], ",.:;'s") == strings.TrimRight(name, "s")
}

// include counts what another tool found, and returns the name of its rule.
func include(found map[place][]string, report string) (rule string, err error) {
	text, err := os.ReadFile(report)
	if err != nil {
		return "", err
	}
	rule = strings.TrimSuffix(filepath.Base(report), filepath.Ext(report))
	here, err := os.Getwd()
	if err != nil {
		return "", err
	}
	for line := range strings.Lines(string(text)) {
		file, rest, is := strings.Cut(strings.TrimSpace(line), ":")
		if !is || filepath.Ext(file) != ".go" {
			continue
		}
		if filepath.IsAbs(file) {
			file, err = filepath.Rel(here, file)
			if err != nil {
				return "", err
			}
		}
		at := place{rule, filepath.ToSlash(file)}
		found[at] = append(found[at], file+":"+rest)
	}
	return rule, nil
}

func add(found map[place][]string, rule, file string, line int, says string) {
	at := place{rule, file}
	found[at] = append(found[at], fmt.Sprintf("%s:%d: %s [%s]", file, line, says, rule))
}

func readBaseline() (map[place]int, error) {
	allowed := map[place]int{}
	file, err := os.Open(baselineFile)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer file.Close()
	for lines := bufio.NewScanner(file); lines.Scan(); {
		var at place
		var n int
		if _, err := fmt.Sscan(lines.Text(), &n, &at.rule, &at.file); err != nil {
			return nil, fmt.Errorf("%s: %q: %w", baselineFile, lines.Text(), err)
		}
		allowed[at] = n
	}
	return allowed, nil
}

// writeBaseline writes how often each rule is broken, and of a rule that the baseline has already no
// more often than there. Rules that were not looked at stay as they are.
func writeBaseline(found map[place][]string, before map[place]int, rules []string) error {
	known := map[string]bool{}
	var lines []string
	write := func(at place, n int) {
		if n > 0 {
			lines = append(lines, fmt.Sprintf("%d %s %s\n", n, at.rule, at.file))
		}
	}
	for at, n := range before {
		known[at.rule] = true
		if !slices.Contains(rules, at.rule) {
			write(at, n)
		}
	}
	for at, all := range found {
		n := len(all)
		if known[at.rule] {
			n = min(n, before[at])
		}
		write(at, n)
	}
	slices.SortFunc(lines, func(a, b string) int {
		_, a, _ = strings.Cut(a, " ")
		_, b, _ = strings.Cut(b, " ")
		return strings.Compare(a, b)
	})
	return os.WriteFile(baselineFile, []byte(strings.Join(lines, "")), 0o644)
}

func compare(found map[place][]string, allowed map[place]int, rules []string) error {
	broken, total, fewer := 0, map[string]int{}, 0
	for at, all := range found {
		total[at.rule] += len(all)
		if len(all) > allowed[at] {
			broken += len(all) - allowed[at]
			fmt.Printf("%s: %d, where the baseline has %d\n  %s\n", at.file, len(all), allowed[at], strings.Join(all, "\n  "))
		}
	}
	for at, n := range allowed {
		if slices.Contains(rules, at.rule) {
			fewer += max(0, n-len(found[at]))
		}
	}
	var says []string
	for rule, n := range total {
		says = append(says, fmt.Sprintf("%s %d", rule, n))
	}
	slices.Sort(says)
	fmt.Println("house rules broken, all in the baseline:", strings.Join(says, ", "))
	if broken > 0 {
		return fmt.Errorf("%d more than the baseline has", broken)
	}
	if fewer > 0 {
		fmt.Printf("%d fewer than the baseline has; write it anew: go run ./tools/house -update\n", fewer)
	}
	return nil
}
