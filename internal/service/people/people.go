// Package people is who may come in: names and passwords, sessions and tokens, and the record of
// what they did.
package people

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"golang.org/x/sync/semaphore"

	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// People is safe for concurrent use.
type People struct {
	base    *base.Base
	tries   tries
	hashing *semaphore.Weighted
	openid  provider
}

// The usual lengths of a session: without use, and in all.
const (
	usualIdle    = 12 * time.Hour
	usualSession = 7 * 24 * time.Hour
)

// New opens the people of a service.
func New(ctx context.Context, b *base.Base) (*People, error) {
	p := &People{base: b, tries: tries{of: map[string]try{}}, hashing: semaphore.NewWeighted(mostHashing)}
	all, err := b.Store.People(ctx)
	b.SignIn.Store(b.Config().People || len(all) > 0)
	_, _ = rand.Read(p.openid.key[:]) // never fails
	return p, err
}

// On tells whether one has to sign in. Without it everybody who reaches the service is its one
// local developer.
func (p *People) On() bool { return p.base.SignIn.Load() }

// Person is somebody who may sign in, as they are listed.
type Person struct {
	Name       string              `json:"name" doc:"Their name."`
	Role       string              `json:"role" enum:"reader,developer,admin" doc:"What they may do."`
	Shelves    []string            `json:"shelves" doc:"The shelves whose reports there are for them; all where it is empty."`
	Attributes map[string][]string `json:"attributes" doc:"What conditions on who runs a report can ask of them: values by name, * for every value."`
	Groups     []string            `json:"groups" doc:"The groups that they are in."`
	SignsIn    []string            `json:"signs_in" enum:"password,openid" doc:"How they sign in: by a password, at the provider of the setting openid-provider. Without either a proxy lets them in, or the provider once it names them."`
	MadeAt     time.Time           `json:"made_at" doc:"Since when they are known."`
	AwayAt     *time.Time          `json:"away_at,omitempty" doc:"Since when they may not sign in any more; absent for who may."`
}

// signsIn is how a person signs in.
func signsIn(p store.Person) []string {
	how := []string{}
	if p.Password != "" {
		how = append(how, "password")
	}
	if p.OpenID != "" {
		how = append(how, "openid")
	}
	return how
}

func told(p store.Person, groups []string) Person {
	if groups == nil {
		groups = []string{}
	}
	if p.Attributes == nil {
		p.Attributes = map[string][]string{}
	}
	t := Person{Name: p.Name, Role: p.Role, Shelves: listed(p.Shelves), Attributes: p.Attributes, Groups: groups, SignsIn: signsIn(p), MadeAt: p.MadeAt}
	if !p.AwayAt.IsZero() {
		t.AwayAt = &p.AwayAt
	}
	return t
}

// List is all people by name, those who are away too.
func (p *People) List(ctx context.Context) ([]Person, error) {
	rows, err := p.base.Store.People(ctx)
	if err != nil {
		return nil, err
	}
	groups, err := p.base.Store.Groups(ctx)
	in := map[int64][]string{}
	for _, g := range groups {
		for _, m := range g.Members {
			in[m.ID] = append(in[m.ID], g.Name)
		}
	}
	all := make([]Person, len(rows))
	for i, row := range rows {
		all[i] = told(row, in[row.ID])
	}
	return all, err
}

const mostName = 80

// Limits are what of the service there is for a person, or for those of a group.
type Limits struct {
	Shelves    []string            `json:"shelves,omitempty" maxItems:"200" doc:"Of readers and developers: the shelves whose reports there are for them; all where it is absent."`
	Attributes map[string][]string `json:"attributes,omitempty" doc:"What conditions on who runs a report can ask of them: values by name, * for every value."`
}

// nameOf is a name as it is kept, of a person or a group.
func nameOf(name string) (string, error) {
	name = strings.TrimSpace(name)
	if name == "" || utf8.RuneCountInString(name) > mostName || strings.ContainsFunc(name, func(r rune) bool { return r < ' ' || r == 0x7f }) {
		return "", refused(fault.PersonRefused, "a name has up to %d letters, on one line", mostName)
	}
	return name, nil
}

// Add adds a person. With the first one everybody has to sign in, so that this is an admin, and has a
// password. Others may have none: the provider lets them in that the setting openid-provider names, or a proxy.
func (p *People) Add(ctx context.Context, name, password, role string, limits Limits) (*Person, error) {
	name, err := nameOf(name)
	if err != nil {
		return nil, err
	}
	if !p.On() && role != base.Admin {
		return nil, refused(fault.PersonRefused, "the first person is an admin, who adds the others: from then on everybody has to sign in")
	}
	hash := ""
	if password != "" || !p.On() {
		if f := weak(name, password); f != nil {
			return nil, &base.Refusal{Kind: fault.PersonRefused, Faults: fault.List{f}}
		}
		if hash, err = p.hash(ctx, password); err != nil {
			return nil, err
		}
	}
	if err := limited(role, limits.Shelves); err != nil {
		return nil, err
	}
	attributes, err := attributesOf(limits.Attributes)
	if err != nil {
		return nil, err
	}
	now := p.base.Config().Now()
	row := store.Person{Name: name, Role: role, Password: hash, Shelves: listed(limits.Shelves), Attributes: attributes, MadeAt: now}
	err = p.base.Store.AddPerson(ctx, row, p.entry(ctx, "add person", name+", "+role))
	if errors.Is(err, store.ErrTaken) {
		return nil, &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.NameTaken, "there is somebody of that name already")}}
	}
	if err != nil {
		return nil, err
	}
	p.base.SignIn.Store(true)
	t := told(row, nil)
	return &t, nil
}

// PersonChange is what is to be other about a person; what is absent stays.
type PersonChange struct {
	Role       string               `json:"role,omitempty" enum:"reader,developer,admin" doc:"What they may do."`
	Password   string               `json:"password,omitempty" maxLength:"1000" doc:"A new password; their sessions and tokens end."`
	NoPassword bool                 `json:"no_password,omitempty" doc:"Take the password away, so that the provider of the setting openid-provider lets them in; their sessions and tokens end."`
	NoOpenID   bool                 `json:"no_openid,omitempty" doc:"Forget who they are at that provider, so that who signs in there next by this name is this person; their sessions and tokens end."`
	Shelves    *[]string            `json:"shelves,omitempty" maxItems:"200" doc:"Of a reader or developer: the shelves whose reports there are for them; empty for all."`
	Attributes *map[string][]string `json:"attributes,omitempty" doc:"What conditions on who runs a report can ask of them, in place of what was set before: values by name, * for every value."`
	Away       *bool                `json:"away,omitempty" doc:"Whether they may not sign in any more; their sessions and tokens end then."`
}

// Set changes a person. The last admin stays one.
func (p *People) Set(ctx context.Context, name string, to PersonChange) (*Person, error) {
	row, err := p.named(ctx, name)
	if err != nil {
		return nil, err
	}
	var done []string
	ends := false
	if to.Role != "" && to.Role != row.Role {
		done = append(done, "role "+to.Role)
		row.Role = to.Role
	}
	if to.Away != nil && *to.Away != !row.AwayAt.IsZero() {
		row.AwayAt = time.Time{}
		done = append(done, "back")
		if *to.Away {
			row.AwayAt, ends = p.base.Config().Now(), true
			done[len(done)-1] = "away"
		}
	}
	if to.Password != "" {
		if f := weak(row.Name, to.Password); f != nil {
			return nil, &base.Refusal{Kind: fault.PersonRefused, Faults: fault.List{f}}
		}
		if row.Password, err = p.hash(ctx, to.Password); err != nil {
			return nil, err
		}
		done, ends = append(done, "password"), true
	}
	if to.NoPassword && row.Password != "" {
		row.Password = ""
		done, ends = append(done, "no password"), true
	}
	if to.NoOpenID && row.OpenID != "" {
		row.OpenID = ""
		done, ends = append(done, "no openid"), true
	}
	if to.Shelves != nil {
		row.Shelves = listed(*to.Shelves)
		done = append(done, "shelves "+cmp.Or(strings.Join(row.Shelves, " | "), "all"))
	}
	if err := limited(row.Role, row.Shelves); err != nil {
		return nil, err
	}
	if to.Attributes != nil {
		if row.Attributes, err = attributesOf(*to.Attributes); err != nil {
			return nil, err
		}
		done = append(done, "attributes "+cmp.Or(attributeText(row.Attributes), "none"))
	}
	if err := p.leavesAdmin(ctx, row); err != nil {
		return nil, err
	}
	if err := p.base.Store.SetPerson(ctx, row, ends, p.entry(ctx, "change person", row.Name+": "+strings.Join(done, ", "))); err != nil {
		return nil, err
	}
	person, err := p.base.PersonIn(ctx, row)
	t := told(row, person.Groups)
	return &t, err
}

// limited refuses limits of an admin, who could take them away.
func limited(role string, shelves []string) error {
	if role == base.Admin && len(shelves) > 0 {
		return refused(fault.PersonRefused, "shelves limit readers and developers: an admin says what there is for whom; take the limit away, or make them a developer")
	}
	return nil
}

// listed is a list without nothing in it.
func listed(shelves []string) []string {
	return slices.DeleteFunc(append([]string{}, shelves...), func(s string) bool { return strings.TrimSpace(s) == "" })
}

// leavesAdmin refuses a change after which nobody could change anything any more.
func (p *People) leavesAdmin(ctx context.Context, changed store.Person) error {
	all, err := p.base.Store.People(ctx)
	if err != nil {
		return err
	}
	stays := slices.ContainsFunc(all, func(o store.Person) bool {
		if o.ID == changed.ID {
			o = changed
		}
		return o.Role == base.Admin && o.AwayAt.IsZero() && (o.Password != "" || o.OpenID != "")
	})
	if !stays {
		return &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.PersonRefused, "%s is the only admin who can sign in; make another one first", changed.Name)}}
	}
	return nil
}

func (p *People) named(ctx context.Context, name string) (store.Person, error) {
	row, err := p.base.Store.PersonNamed(ctx, name)
	if errors.Is(err, store.ErrNone) {
		err = &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownPerson, "nobody is called %q", name)}}
	}
	return row, err
}

// Pass is a session or a token, as it is listed.
type Pass struct {
	ID      int64      `json:"id" doc:"Its number."`
	Kind    string     `json:"kind" enum:"session,token" doc:"What it is."`
	Name    string     `json:"name" doc:"What a token is for; of a session the browser."`
	Role    string     `json:"role" enum:"reader,developer,admin" doc:"The most that it lets do."`
	Address string     `json:"address" doc:"Where it was made from."`
	MadeAt  time.Time  `json:"made_at" doc:"When it was made."`
	UsedAt  *time.Time `json:"used_at,omitempty" doc:"When it was used last, to about a minute; absent where it never was."`
	EndsAt  time.Time  `json:"ends_at" doc:"When it ends."`
	Own     bool       `json:"own,omitempty" doc:"Whether it is the one that this was asked with."`
}

// roleOf is what a pass lets do now: a session what its person may, a token no more than it was made for.
func roleOf(pass store.Pass, role string) string {
	if pass.Kind == store.Session {
		return role
	}
	return base.Lower(pass.Role, role)
}

// toldPass is a pass of a person of some role; own is the one that this is asked with.
func toldPass(row store.Pass, of string, own int64) Pass {
	t := Pass{ID: row.ID, Kind: string(row.Kind), Name: row.Name, Role: roleOf(row, of), Address: row.Address, MadeAt: row.MadeAt, EndsAt: row.EndsAt, Own: row.ID == own}
	if !row.UsedAt.IsZero() {
		t.UsedAt = &row.UsedAt
	}
	return t
}

// SignIn lets a person in, from an address by a browser. The secret of the session is told this once.
func (p *People) SignIn(ctx context.Context, name, password, address, browser string) (who Person, secret string, ends time.Time, err error) {
	now := p.base.Config().Now()
	if wait := p.tries.wait(now, name, address); wait > 0 {
		return who, "", ends, &TooMany{Wait: wait}
	}
	row, err := p.base.Store.PersonNamed(ctx, strings.TrimSpace(name))
	if err != nil && !errors.Is(err, store.ErrNone) {
		return who, "", ends, err
	}
	// As much is done for a name that there is not as for one that there is.
	right, err := p.matches(ctx, password, cmp.Or(row.Password, nobody))
	if err != nil {
		return who, "", ends, err
	}
	if !right || row.Password == "" || !row.AwayAt.IsZero() {
		p.tries.failed(p.base.Config().Now(), name, address)
		p.audit(ctx, name, "sign-in refused", address)
		return who, "", ends, refused(fault.SignInRefused, "the name or the password is not right")
	}
	p.tries.right(name, address)
	secret, ends, err = p.session(ctx, row, address, browser)
	if err != nil {
		return who, "", ends, err
	}
	in, err := p.base.PersonIn(ctx, row)
	who = told(row, in.Groups)
	who.Role = in.Role
	return who, secret, ends, err
}

// session begins a session of a person who is let in. Its secret is told this once.
func (p *People) session(ctx context.Context, row store.Person, address, by string) (secret string, ends time.Time, err error) {
	now := p.base.Config().Now()
	secret = rand.Text() + rand.Text()
	ends = now.Add(cmp.Or(p.base.Config().SessionTime, usualSession))
	_, err = p.base.Store.AddPass(ctx, store.Pass{PersonID: row.ID, Kind: store.Session, Name: short(by), Role: row.Role, Address: address, MadeAt: now, UsedAt: now, EndsAt: ends}, secret, store.AuditEntry{At: now, Person: row.Name, Action: "sign in", Subject: address})
	return secret, ends, err
}

// Who is the person that a secret lets in: of a session where it is not a token. ErrNone where it
// lets nobody in: it has ended, was not used for too long, or its person is away.
func (p *People) Who(ctx context.Context, secret string, kind store.PassKind) (base.Person, error) {
	now := p.base.Config().Now()
	pass, row, err := p.base.Store.PassOf(ctx, secret, now)
	switch {
	case err != nil:
		return base.Person{}, err
	case pass.Kind != kind, !row.AwayAt.IsZero(), kind == store.Session && now.Sub(pass.UsedAt) > cmp.Or(p.base.Config().SessionIdle, usualIdle):
		return base.Person{}, store.ErrNone
	}
	if now.Sub(pass.UsedAt) >= time.Minute {
		if err := p.base.Store.PassUsed(ctx, pass.ID, now); err != nil {
			p.base.Log.Error("the use of a pass is not on record", "err", err)
		}
	}
	who, err := p.base.PersonIn(ctx, row)
	who.Pass, who.Role = pass.ID, roleOf(pass, who.Role)
	return who, err
}

// Passes are how who asks signs in, and their sessions and tokens, the latest first.
func (p *People) Passes(ctx context.Context) (how []string, all []Pass, err error) {
	who, row, err := p.asking(ctx)
	if err != nil {
		return nil, nil, err
	}
	in, err := p.base.PersonIn(ctx, row)
	if err != nil {
		return nil, nil, err
	}
	rows, err := p.base.Store.Passes(ctx, row.ID, p.base.Config().Now())
	all = make([]Pass, len(rows))
	for i, r := range rows {
		all[i] = toldPass(r, in.Role, who.Pass)
	}
	return signsIn(row), all, err
}

func (p *People) asking(ctx context.Context) (base.Person, store.Person, error) {
	who := base.PersonOf(ctx)
	if !p.On() {
		return who, store.Person{}, NobodySignsIn()
	}
	row, err := p.named(ctx, who.Name)
	return who, row, err
}

const mostTokens = 100

// MakeToken makes a token of who asks, with a role no higher than theirs. Its secret is told this once.
func (p *People) MakeToken(ctx context.Context, name, role string, days int, address string) (*Pass, string, error) {
	who, row, err := p.asking(ctx)
	if err != nil {
		return nil, "", err
	}
	role = cmp.Or(role, who.Role)
	if base.Lower(role, who.Role) != role {
		return nil, "", refused(fault.PersonRefused, "a token lets do no more than a %s may", who.Role)
	}
	now := p.base.Config().Now()
	all, err := p.base.Store.Passes(ctx, row.ID, now)
	if err != nil {
		return nil, "", err
	}
	if len(all) >= mostTokens {
		return nil, "", &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.Conflict, "there are %d sessions and tokens already; end some of them first", len(all))}}
	}
	secret := rand.Text() + rand.Text()
	made, err := p.base.Store.AddPass(ctx, store.Pass{PersonID: row.ID, Kind: store.Token, Name: name, Role: role, Address: address, MadeAt: now, EndsAt: now.AddDate(0, 0, days)}, secret, p.entry(ctx, "make token", name+", "+role))
	if err != nil {
		return nil, "", err
	}
	t := toldPass(made, who.Role, who.Pass)
	return &t, secret, nil
}

// End ends a session or token of who asks.
func (p *People) End(ctx context.Context, id int64) error {
	_, row, err := p.asking(ctx)
	if err != nil {
		return err
	}
	_, err = p.base.Store.EndPasses(ctx, row.ID, id, "", p.entry(ctx, "end session or token", ""))
	if errors.Is(err, store.ErrNone) {
		return &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownToken, "no session or token %d of yours", id)}}
	}
	return err
}

// SignOut ends the session of who asks, or everywhere all of them.
func (p *People) SignOut(ctx context.Context, everywhere bool) error {
	who, row, err := p.asking(ctx)
	if err != nil {
		return err
	}
	id := who.Pass
	if id == 0 && !everywhere {
		return nil // let in by a proxy, which signs them out
	}
	if everywhere {
		id = 0
	}
	_, err = p.base.Store.EndPasses(ctx, row.ID, id, store.Session, p.entry(ctx, "sign out", ""))
	if errors.Is(err, store.ErrNone) {
		return nil // by a token, which is no session
	}
	return err
}

// SetPassword changes the password of who asks, who tells the one that they have. All their sessions
// and tokens end.
func (p *People) SetPassword(ctx context.Context, before, password, address string) error {
	_, row, err := p.asking(ctx)
	if err != nil {
		return err
	}
	if row.Password == "" {
		return refused(fault.PersonRefused, "you have no password here: you are let in from elsewhere")
	}
	now := p.base.Config().Now()
	if wait := p.tries.wait(now, row.Name, address); wait > 0 {
		return &TooMany{Wait: wait}
	}
	right, err := p.matches(ctx, before, row.Password)
	if err != nil {
		return err
	}
	if !right {
		p.tries.failed(p.base.Config().Now(), row.Name, address)
		return refused(fault.PersonRefused, "the password that you have is another one")
	}
	_, err = p.Set(ctx, row.Name, PersonChange{Password: password})
	return err
}

// Audit lists what was done, the latest first, before an entry; before 0 the latest of all.
func (p *People) Audit(ctx context.Context, before int64, most int) ([]store.AuditEntry, error) {
	return p.base.Store.Audit(ctx, before, most)
}

// Verify holds the record of what was done to its hashes.
func (p *People) Verify(ctx context.Context) (entries, wrong int64, err error) {
	return p.base.Store.VerifyAudit(ctx)
}

// Done puts on record what who asks did, where there are people.
func (p *People) Done(ctx context.Context, action, subject string) {
	if p.On() {
		p.audit(ctx, base.PersonOf(ctx).Name, action, subject)
	}
}

func (p *People) audit(ctx context.Context, who, action, subject string) {
	e := store.AuditEntry{At: p.base.Config().Now(), Person: short(who), Action: action, Subject: subject}
	if err := p.base.Store.Audited(context.WithoutCancel(ctx), e, nil); err != nil {
		p.base.Log.Error("what was done is not on record", "action", action, "err", err)
	}
}

func (p *People) entry(ctx context.Context, action, subject string) store.AuditEntry {
	return store.AuditEntry{At: p.base.Config().Now(), Person: base.PersonOf(ctx).Name, Action: action, Subject: subject}
}

// short is as much of a text of others as is kept.
func short(text string) string {
	const most = 200
	if runes := []rune(text); len(runes) > most {
		return string(runes[:most])
	}
	return strings.ToValidUTF8(text, "�")
}

func refused(code fault.Code, format string, args ...any) error {
	return &base.Refusal{Kind: code, Faults: fault.List{fault.New(code, format, args...)}}
}

// NobodySignsIn refuses what is of people who sign in, where nobody has to.
func NobodySignsIn() error {
	return &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.Conflict, "nobody has to sign in to this service, so that there are no sessions and tokens; an admin is added first")}}
}
