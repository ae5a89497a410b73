package definition

import (
	"net/mail"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/timetable"
)

// Schedule reads a schedule that is no definition of its own, on the reports of a catalog.
func Schedule(d catalog.Document, on *catalog.Catalog, s phrase.Setting) (*catalog.Schedule, fault.List) {
	l := linker{setting: s, catalog: on, declared: map[catalog.Ref]*declared{}, shakes: map[catalog.Ref]bool{}, used: map[catalog.Ref]bool{}, beside: true}
	l.reader = read(&d)
	if l.root == nil {
		return nil, l.faults
	}
	m, ok := l.mapping(l.root, kindKeys[catalog.KindSchedule])
	if !ok {
		return nil, l.faults
	}
	m.take("pikegate")
	m.take(string(catalog.KindSchedule))
	made := l.schedule(d.Name, m)
	l.finish(m)
	return made, l.faults
}

// The most of what a schedule names.
const (
	mostSendings   = 20
	mostRecipients = 100
)

func (l *linker) schedule(name string, m *mapping) *catalog.Schedule {
	s := &catalog.Schedule{Name: name, Answers: map[string]prompt.Entered{}}
	if checks := m.take("check"); checks != nil {
		l.checking(s, checks, m)
	} else {
		s.Report = named(l, l.need(m, "report"), fault.UnknownReport, "report", l.catalog.Reports)
		if n := m.take("tell"); n != nil {
			l.fault(n, fault.WrongValue, "tell is for a schedule that checks; send says where the results of a report go")
		}
	}
	answers := m.take("answers")
	if answers != nil {
		if am, ok := l.open(answers); ok {
			s.Answers = l.answers(s.Report, am)
		}
	}
	if n := l.need(m, "at"); n != nil {
		var f *fault.Fault
		if s.At, f = timetable.Parse(l.text(n)); f != nil && n.Kind == yaml.ScalarNode {
			l.add(n, f)
		}
	}
	switch zone := m.take("zone"); {
	case zone != nil:
		s.Zone = l.zone(zone)
	case s.Check != nil:
		l.need(m, "zone")
	case s.Report != nil && s.Report.Main() != nil && s.Report.Main().Query.Of != nil:
		s.Zone = s.Report.Main().Query.Of.Source.Zone
	}
	if n := m.take("missed"); n != nil {
		s.SkipMissed = oneOf(l.reader, n, []string{"once", "skip"}) == "skip"
	}
	if s.Check == nil {
		if n := l.need(m, "send"); n != nil {
			s.Send = l.sendings(n)
		}
	}
	if s.Report != nil && len(l.faults) == 0 && !l.loading {
		l.answered(s, answers, m.node)
	}
	return s
}

// checking reads what a schedule checks, and who is told of it.
func (l *linker) checking(s *catalog.Schedule, n *yaml.Node, m *mapping) {
	s.Check = &catalog.Checks{}
	for _, key := range []string{"report", "answers", "send"} {
		if other := m.take(key); other != nil {
			l.fault(other, fault.WrongValue, "a schedule that checks runs no report, so that %s has no place here", key)
		}
	}
	if n.Kind == yaml.SequenceNode {
		s.Check.Proofs = []*catalog.Proof{}
		for _, item := range n.Content {
			if p := named(l, item, fault.UnknownProof, "proof", l.catalog.Proofs); p != nil {
				s.Check.Proofs = append(s.Check.Proofs, p)
			}
		}
		if len(n.Content) == 0 {
			l.fault(n, fault.EmptyGroup, "no proof is named here; name some, or say proofs for all of them")
		}
	} else {
		s.Check.Findings = oneOf(l.reader, n, []string{"proofs", "all"}) == "all"
	}
	if n := m.take("tell"); n != nil {
		s.Tell = l.addresses(n)
	}
}

// answered tries the answers as they are understood today. What comes from the data is not known here.
func (l *linker) answered(s *catalog.Schedule, answers, whole *yaml.Node) {
	setting := l.setting
	if s.Zone != nil {
		setting.Zone = s.Zone
	}
	_, refused := prompt.Check(s.Report.Answered(), s.Answers, setting)
	for _, f := range refused {
		at := whole
		if answers != nil {
			at = answers
			for i := 0; i+1 < len(answers.Content); i += 2 {
				if answers.Content[i].Value == f.Place.Prompt {
					at = answers.Content[i+1]
				}
			}
		}
		f.Message = f.Place.Prompt + ": " + f.Message
		l.add(at, f)
	}
}

func (l *linker) sendings(n *yaml.Node) (all []catalog.Sending) {
	if n.Kind != yaml.SequenceNode {
		l.wrongType(n, "a list of mails, folders and hooks")
		return nil
	}
	if len(n.Content) == 0 {
		l.fault(n, fault.EmptyGroup, "nothing says where results are sent; name a mail, a folder or a hook")
	}
	if len(n.Content) > mostSendings {
		l.fault(n, fault.TooMany, "results are sent to %d places at most, and these are %d", mostSendings, len(n.Content))
		return nil
	}
	for _, item := range n.Content {
		m, ok := l.mapping(item, sendKeys)
		if !ok {
			continue
		}
		var s catalog.Sending
		found := 0
		if n := m.take("mail"); n != nil {
			found++
			s.Mail = l.mail(&s, n)
		}
		if n := m.take("folder"); n != nil {
			found++
			s.Folder = l.folder(&s, n)
		}
		if n := m.take("hook"); n != nil {
			found++
			s.Hook = l.hook(&s, n)
		}
		if l.finish(m); found > 1 || len(m.pairs) == 0 {
			l.fault(item, fault.WrongValue, "each item of send is a mail, a folder or a hook, one of them")
		}
		all = append(all, s)
	}
	return all
}

func (l *linker) mail(s *catalog.Sending, n *yaml.Node) *catalog.Mail {
	m, ok := l.mapping(n, mailKeys)
	if !ok {
		return nil
	}
	mailed := &catalog.Mail{}
	mailed.To = l.addresses(l.need(m, "to"))
	if attach := m.take("attach"); attach != nil {
		items := []*yaml.Node{attach}
		if attach.Kind == yaml.SequenceNode {
			items = attach.Content
		}
		for _, item := range items {
			if f := oneOf(l.reader, item, attachable); f != "" && !slices.Contains(mailed.Attach, f) {
				mailed.Attach = append(mailed.Attach, f)
			}
		}
	}
	s.When = l.when(m.take("when"))
	l.finish(m)
	return mailed
}

// addresses are those that a mail is to, each once.
func (l *linker) addresses(to *yaml.Node) (all []string) {
	for i, text := range l.texts(to) {
		address, err := mail.ParseAddress(text)
		if err != nil || address.Name != "" || address.Address != text {
			l.fault(to.Content[i], fault.WrongValue, "the address of a mail is wanted here, such as harbour-office@example.test, and this is %q", english.Shorten(text))
			continue
		}
		if !slices.Contains(all, text) {
			all = append(all, text)
		}
	}
	switch {
	case to != nil && to.Kind == yaml.SequenceNode && len(to.Content) == 0:
		l.fault(to, fault.EmptyGroup, "the mail is to nobody")
	case len(all) > mostRecipients:
		l.fault(to, fault.TooMany, "a mail is to %d people at most, and this one is to %d", mostRecipients, len(all))
	}
	return all
}

// placeholder is what stands in braces in the name of a file.
var placeholder = regexp.MustCompile(`\{[^{}]*\}`)

// placeholders are those that the name of a file may have.
var placeholders = []string{"{as_of}", "{date}", "{time}", "{schedule}", "{receipt}"}

func (l *linker) folder(s *catalog.Sending, n *yaml.Node) *catalog.Folder {
	m, ok := l.mapping(n, folderKeys)
	if !ok {
		return nil
	}
	f := &catalog.Folder{Path: "."}
	if at := m.take("path"); at != nil {
		if f.Path = l.text(at); f.Path != "" {
			if clean := path.Clean(f.Path); path.IsAbs(f.Path) || clean == ".." || strings.HasPrefix(clean, "../") || strings.ContainsFunc(f.Path, isNotOfAFile) {
				l.fault(at, fault.WrongValue, "the directory lies below the one that results are delivered to: a relative path such as nightly, and this is %q", english.Shorten(f.Path))
			} else {
				f.Path = clean
			}
		}
	}
	if at := l.need(m, "name"); at != nil {
		f.Name = l.text(at)
		bare := placeholder.ReplaceAllStringFunc(f.Name, func(p string) string {
			if !slices.Contains(placeholders, p) {
				l.fault(at, fault.NoSuchPlaceholder, "the name of a file has no %s; it may have %s", english.Shorten(p), english.Both(placeholders)).Suggest(fault.Near(p, placeholders))
			}
			return "x"
		})
		f.Format = strings.TrimPrefix(path.Ext(bare), ".")
		switch {
		case f.Name == "":
		case strings.ContainsAny(bare, "/\\{}") || strings.ContainsFunc(bare, isNotOfAFile) || strings.HasPrefix(bare, ".") || len(f.Name) > 200:
			l.fault(at, fault.WrongValue, "the name of a file is wanted here, such as late-{as_of}.csv, and this is %q", english.Shorten(f.Name))
		case !slices.Contains(attachable, f.Format):
			l.fault(at, fault.WrongValue, "the ending of the name is the format: one of %s", english.Both(attachable))
		}
	}
	if at := m.take("keep"); at != nil {
		days, unit, _ := strings.Cut(l.text(at), " ")
		n, err := strconv.Atoi(days)
		if err != nil || n < 1 || n > 36500 || unit != "days" && unit != "day" {
			l.fault(at, fault.WrongValue, "how long files are kept is said like 30 days, and this is %q", english.Shorten(at.Value))
		}
		f.Keep = n
	}
	s.When = l.when(m.take("when"))
	l.finish(m)
	return f
}

// isNotOfAFile reports whether no file is called by a sign on some system.
func isNotOfAFile(r rune) bool { return r < ' ' || r == 0x7f || strings.ContainsRune(`<>:"|?*`, r) }

func (l *linker) hook(s *catalog.Sending, n *yaml.Node) *catalog.Hook {
	m, ok := l.mapping(n, hookKeys)
	if !ok {
		return nil
	}
	h := &catalog.Hook{}
	if at := l.need(m, "url"); at != nil {
		h.URL = l.text(at)
		if u, err := url.Parse(h.URL); err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.User != nil {
			l.fault(at, fault.WrongValue, "the address of a hook is like https://example.test/late, without a password in it, and this is %q", english.Shorten(h.URL))
		}
	}
	h.Secret = l.referTo(l.need(m, "secret"))
	s.When = l.when(m.take("when"))
	l.finish(m)
	return h
}

var moreThan = regexp.MustCompile(`^records more than ([0-9]{1,12})$`)

func (l *linker) when(n *yaml.Node) catalog.When {
	if n == nil {
		return catalog.When{Kind: catalog.WhenAlways}
	}
	text := l.text(n)
	if m := moreThan.FindStringSubmatch(text); m != nil {
		more, _ := strconv.ParseInt(m[1], 10, 64)
		return catalog.When{Kind: catalog.WhenMore, More: more}
	}
	if kind := catalog.WhenKind(text); slices.Contains([]catalog.WhenKind{catalog.WhenAlways, catalog.WhenRecords, catalog.WhenChanged}, kind) {
		return catalog.When{Kind: kind}
	}
	l.fault(n, fault.WrongValue, "a result is sent always, on records, changed, or records more than 10, and this is %q", english.Shorten(text))
	return catalog.When{}
}
