package people

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// provider is the provider of OpenID Connect that people sign in at. It is asked what it offers when
// somebody first signs in, so that the service starts without it.
type provider struct {
	key [32]byte // of what a browser keeps while its person signs in

	mu     sync.Mutex
	issuer string // whose provider was found
	found  *oidc.Provider
	away   time.Time            // when it last was not
	used   map[string]time.Time // the states that came back, until when they could again
}

// How long the provider may take to answer, and a person to sign in there; and for how long it is not asked
// again after it did not answer, so that those who wait for it do not wait one after the other.
const (
	providerTime = 10 * time.Second
	signingTime  = 10 * time.Minute
	awayTime     = 5 * time.Second
)

// providerClient asks the provider. Much of an answer is not read.
var providerClient = &http.Client{Timeout: providerTime, Transport: limitedAnswers{http.DefaultTransport}}

type limitedAnswers struct{ http.RoundTripper }

// RoundTrip is http's interface for who sends requests.
func (l limitedAnswers) RoundTrip(r *http.Request) (*http.Response, error) {
	answer, err := l.RoundTripper.RoundTrip(r)
	if err == nil {
		answer.Body = struct {
			io.Reader
			io.Closer
		}{io.LimitReader(answer.Body, 1<<20), answer.Body}
	}
	return answer, err
}

// ReturnPath is where the provider sends people back to, below the address of the service.
const ReturnPath = "/api/v1/session/openid/return"

// Provider is the host of the provider that people may sign in at, "" where there is none.
func (p *People) Provider() string {
	u, err := url.Parse(p.base.Config().OpenID.Issuer)
	if err != nil {
		return ""
	}
	return u.Host
}

// signing is a sign-in that has begun, as the browser keeps it meanwhile.
type signing struct {
	State, Nonce, Verifier string
	To                     string // the page that was wanted
	Ends                   time.Time
}

// sealed is a sign-in as the browser keeps it, so that it cannot be changed on the way.
func (o *provider) sealed(s signing) string {
	text, err := json.Marshal(s)
	if err != nil {
		panic("people: a sign-in cannot be written: " + err.Error())
	}
	return base64.RawURLEncoding.EncodeToString(append(o.mac(text), text...))
}

// opened is a sign-in that a browser kept; false for what is none, or was changed.
func (o *provider) opened(kept string) (s signing, whole bool) {
	text, err := base64.RawURLEncoding.DecodeString(kept)
	if err != nil || len(text) < sha256.Size || !hmac.Equal(text[:sha256.Size], o.mac(text[sha256.Size:])) {
		return s, false
	}
	return s, json.Unmarshal(text[sha256.Size:], &s) == nil
}

func (o *provider) mac(text []byte) []byte {
	mac := hmac.New(sha256.New, o.key[:])
	mac.Write(text)
	return mac.Sum(nil)
}

// known is what the provider offers; OpenIDAway where it does not say.
func (o *provider) known(issuer string, now time.Time, log *slog.Logger) (*oidc.Provider, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.issuer == issuer {
		return o.found, nil
	}
	if now.Sub(o.away) < awayTime {
		return nil, OpenIDAway
	}
	// Its keys are fetched later by the same context, which therefore has no end.
	found, err := oidc.NewProvider(oidc.ClientContext(context.Background(), providerClient), issuer)
	if err != nil {
		o.away = now
		log.Error("the provider of OpenID Connect is away", "err", err)
		return nil, OpenIDAway
	}
	o.issuer, o.found = issuer, found
	return found, nil
}

// first tells whether a state comes back for the first time.
func (o *provider) first(state string, now, ends time.Time) bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.used == nil {
		o.used = map[string]time.Time{}
	}
	maps.DeleteFunc(o.used, func(_ string, until time.Time) bool { return until.Before(now) })
	_, again := o.used[state]
	o.used[state] = ends
	return !again
}

func (p *People) client(of *oidc.Provider) *oauth2.Config {
	set := p.base.Config().OpenID
	return &oauth2.Config{ClientID: set.Client, ClientSecret: set.Secret, Endpoint: of.Endpoint(), RedirectURL: p.base.Config().Address + ReturnPath, Scopes: []string{oidc.ScopeOpenID, "profile", "email"}}
}

// errNoProvider is for a service whose people do not sign in elsewhere.
func errNoProvider() error {
	return &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.NotFound, "people sign in to this service by name and password; the setting openid-provider names a provider")}}
}

// OpenIDRefusal is why nobody is let in, so that the sign-in page can say it.
type OpenIDRefusal string

// Why nobody is let in.
const (
	OpenIDAnew     OpenIDRefusal = "anew"     // what came back does not hold; another sign-in may
	OpenIDAway     OpenIDRefusal = "provider" // the provider does not answer, or not as it should
	OpenIDBusy     OpenIDRefusal = "busy"     // too many sign-ins from there were refused
	OpenIDUnknown  OpenIDRefusal = "unknown"  // nobody of that name is known here
	OpenIDGone     OpenIDRefusal = "gone"     // they may not sign in any more
	OpenIDOther    OpenIDRefusal = "other"    // the one of that name is somebody else at the provider
	OpenIDPassword OpenIDRefusal = "password" // the one of that name has a password here
)

func (r OpenIDRefusal) Error() string { return "a sign-in by OpenID Connect was refused: " + string(r) }

// BeginOpenID begins a sign-in at the provider, with the page that is wanted after it. The browser is sent
// to at, and keeps kept until it comes back.
func (p *People) BeginOpenID(to string) (at, kept string, ends time.Time, err error) {
	if p.base.Config().OpenID.Issuer == "" || !p.On() {
		return "", "", ends, errNoProvider()
	}
	now := p.base.Config().Now()
	known, err := p.openid.known(p.base.Config().OpenID.Issuer, now, p.base.Log)
	if err != nil {
		return "", "", ends, err
	}
	if !IsPage(to) {
		to = "/"
	}
	ends = now.Add(signingTime)
	s := signing{State: rand.Text() + rand.Text(), Nonce: rand.Text() + rand.Text(), Verifier: oauth2.GenerateVerifier(), To: to, Ends: ends}
	return p.client(known).AuthCodeURL(s.State, oidc.Nonce(s.Nonce), oauth2.S256ChallengeOption(s.Verifier)), p.openid.sealed(s), ends, nil
}

// IsPage tells whether a text is a page of the service, and leads nowhere else.
func IsPage(to string) bool {
	u, err := url.Parse(to)
	return err == nil && u.Scheme == "" && u.Host == "" && strings.HasPrefix(to, "/") && !strings.HasPrefix(to, "//") && !strings.ContainsAny(to, "\\\r\n\t")
}

// Returned is what a browser brings back from the provider.
type Returned struct {
	State, Code, Error string
	Issuer             string // RFC 9207; "" where the provider does not say it
	Kept               string // what the browser kept
	Address, Browser   string // where it asks from, and by what
}

// unfit says why what a browser brought back is not the end of a sign-in, "" where it is.
func (o *provider) unfit(r Returned, s signing, issuer string, now time.Time) string {
	switch {
	case now.After(s.Ends):
		return "the sign-in took too long"
	case r.Issuer != "" && r.Issuer != issuer:
		return "another provider than the one that was asked answers"
	case !o.first(s.State, now, s.Ends):
		return "the sign-in has been brought back before"
	case r.Error != "" || r.Code == "":
		return "the provider has let nobody in: " + short(r.Error)
	}
	return ""
}

// EndOpenID lets a person in whom the provider has let in. The secret of the session is told this once. An
// OpenIDRefusal says why nobody is.
func (p *People) EndOpenID(ctx context.Context, r Returned) (secret string, ends time.Time, to string, err error) {
	set, now := p.base.Config().OpenID, p.base.Config().Now()
	if set.Issuer == "" || !p.On() {
		return "", ends, "/", errNoProvider()
	}
	from := "openid " + r.Address // tries are slowed down by where they come from, before there is a name
	if p.tries.wait(now, from, r.Address) > 0 {
		return "", ends, "/", OpenIDBusy
	}
	no := func(word OpenIDRefusal, name, why string, cause error) error {
		p.base.Log.WarnContext(ctx, "a sign-in by OpenID Connect was refused", "why", why, "err", cause)
		p.tries.failed(p.base.Config().Now(), from, r.Address)
		p.audit(ctx, name, "sign-in refused", r.Address+", openid: "+why)
		return word
	}
	s, whole := p.openid.opened(r.Kept)
	if !whole || subtle.ConstantTimeCompare([]byte(s.State), []byte(r.State)) != 1 {
		return "", ends, "/", no(OpenIDAnew, "", "this browser has not begun the sign-in that it brings back", nil)
	}
	known, err := p.openid.known(set.Issuer, now, p.base.Log)
	if err != nil {
		return "", ends, s.To, err
	}
	if why := p.openid.unfit(r, s, set.Issuer, now); why != "" {
		return "", ends, s.To, no(OpenIDAnew, "", why, nil)
	}
	claims, subject, err := p.claims(ctx, known, s, r.Code)
	if isAway(err) {
		p.base.Log.ErrorContext(ctx, "the provider of OpenID Connect is away", "err", err)
		return "", ends, s.To, OpenIDAway
	}
	if err != nil {
		return "", ends, s.To, no(OpenIDAnew, "", "what the provider says of the person does not hold", err)
	}
	name, _ := claims[set.Name].(string)
	if verified, said := claims["email_verified"].(bool); said && !verified && set.Name == "email" {
		name = "" // anybody could have said it
	}
	row, why, err := p.openIDPerson(ctx, set.Issuer+" "+subject, name)
	if word := OpenIDRefusal(""); errors.As(err, &word) {
		err = no(word, name, why, nil)
	}
	if err == nil {
		row, err = p.asClaimed(ctx, row, claims)
	}
	if err == nil {
		p.tries.right(from, r.Address)
		secret, ends, err = p.session(ctx, row, r.Address, r.Browser)
	}
	return secret, ends, s.To, err
}

// isAway tells whether the provider did not answer, or not as it should, from what it said that does not hold.
func isAway(err error) bool {
	var answered *oauth2.RetrieveError
	return errors.As(err, new(*url.Error)) || errors.As(err, &answered) && answered.Response.StatusCode >= http.StatusInternalServerError
}

// claims are what the provider says of the person who signed in there, and who that is there.
func (p *People) claims(ctx context.Context, known *oidc.Provider, s signing, code string) (claims map[string]any, subject string, err error) {
	ctx, cancel := context.WithTimeout(oidc.ClientContext(ctx, providerClient), 2*providerTime)
	defer cancel()
	client := p.client(known)
	token, err := client.Exchange(ctx, code, oauth2.VerifierOption(s.Verifier))
	if err != nil {
		return nil, "", err
	}
	raw, _ := token.Extra("id_token").(string)
	id, err := known.Verifier(&oidc.Config{ClientID: p.base.Config().OpenID.Client, Now: p.base.Config().Now}).Verify(ctx, raw)
	if err != nil {
		return nil, "", err
	}
	if subtle.ConstantTimeCompare([]byte(id.Nonce), []byte(s.Nonce)) != 1 {
		return nil, "", errors.New("the ID token is of another sign-in")
	}
	if id.Subject == "" || strings.ContainsFunc(id.Subject, func(r rune) bool { return r <= ' ' }) {
		return nil, "", errors.New("the ID token has no usable subject")
	}
	if err := id.Claims(&claims); err != nil {
		return nil, "", err
	}
	wanted := append([]string{p.base.Config().OpenID.Name, p.base.Config().OpenID.Groups}, p.base.Config().OpenID.Attributes...)
	if known.UserInfoEndpoint() == "" || !slices.ContainsFunc(wanted, func(c string) bool { return c != "" && claims[c] == nil }) {
		return claims, id.Subject, nil
	}
	info, err := known.UserInfo(ctx, oauth2.StaticTokenSource(token))
	if err != nil {
		return nil, "", err
	}
	more := map[string]any{}
	if err := info.Claims(&more); err != nil {
		return nil, "", err
	}
	if info.Subject != id.Subject {
		return nil, "", errors.New("what the provider tells is about somebody else")
	}
	for _, c := range wanted {
		if claims[c] == nil {
			claims[c] = more[c]
		}
	}
	return claims, id.Subject, nil
}

// openIDPerson is the person who is this one at the provider. At the first time it is the one of that name,
// who has no password and is nobody else there; or somebody new, where such are let in. Where it is nobody,
// an OpenIDRefusal says so, and why says it to an admin.
func (p *People) openIDPerson(ctx context.Context, openid, name string) (row store.Person, why string, err error) {
	row, err = p.base.Store.PersonOpenID(ctx, openid)
	if err == nil && !row.AwayAt.IsZero() {
		return row, row.Name + " may not sign in any more", OpenIDGone
	}
	if !errors.Is(err, store.ErrNone) {
		return row, "", err
	}
	name, err = nameOf(name)
	if err != nil {
		return row, "the provider says no name that could be one here; the setting openid-name says which claim it is", OpenIDUnknown
	}
	row, err = p.base.Store.PersonNamed(ctx, name)
	switch {
	case errors.Is(err, store.ErrNone) && p.base.Config().OpenID.Adds == "":
		return row, name + " is not known here; an admin adds them by that name", OpenIDUnknown
	case errors.Is(err, store.ErrNone):
		now := p.base.Config().Now()
		row = store.Person{Name: name, Role: p.base.Config().OpenID.Adds, Shelves: []string{}, Attributes: map[string][]string{}, MadeAt: now, OpenID: openid}
		err = p.base.Store.AddPerson(ctx, row, store.AuditEntry{At: now, Person: name, Action: "add person", Subject: name + ", " + row.Role + ", by openid"})
		if errors.Is(err, store.ErrTaken) { // by a sign-in of the same moment
			return p.openIDPerson(ctx, openid, name)
		}
		if err == nil {
			row, err = p.base.Store.PersonNamed(ctx, name)
		}
		return row, "", err
	case err != nil:
		return row, "", err
	case !row.AwayAt.IsZero():
		return row, row.Name + " may not sign in any more", OpenIDGone
	case row.OpenID == openid: // since a moment ago
		return row, "", nil
	case row.OpenID != "":
		return row, row.Name + " is somebody else at the provider; an admin can say that they are to be this one", OpenIDOther
	case row.Password != "":
		return row, row.Name + " signs in by a password here; an admin can take it away", OpenIDPassword
	}
	row.OpenID = openid
	entry := store.AuditEntry{At: p.base.Config().Now(), Person: row.Name, Action: "change person", Subject: row.Name + ": openid"}
	err = p.base.Store.SetOpenID(ctx, row, entry)
	if errors.Is(err, store.ErrTaken) {
		return p.openIDPerson(ctx, openid, name)
	}
	return row, "", err
}

// asClaimed is a person with the attributes and groups that the provider says they have; those that it does
// not say they lose.
func (p *People) asClaimed(ctx context.Context, row store.Person, claims map[string]any) (store.Person, error) {
	attributes := maps.Clone(row.Attributes)
	if attributes == nil {
		attributes = map[string][]string{}
	}
	for _, a := range p.base.Config().OpenID.Attributes {
		if attributes[a] = texts(claims[a]); len(attributes[a]) == 0 {
			delete(attributes, a)
		}
	}
	attributes, err := attributesOf(attributes)
	if err != nil {
		return row, err
	}
	all, err := p.base.Store.Groups(ctx)
	if err != nil {
		return row, err
	}
	var was, groups []store.Group
	named := texts(claims[p.base.Config().OpenID.Groups])
	for _, g := range all {
		if slices.ContainsFunc(g.Members, func(m store.Person) bool { return m.ID == row.ID }) {
			was = append(was, g)
		}
		if slices.ContainsFunc(named, func(n string) bool { return strings.EqualFold(n, g.Name) }) {
			groups = append(groups, g)
		}
	}
	if p.base.Config().OpenID.Groups == "" {
		groups = was
	}
	if reflect.DeepEqual(attributes, row.Attributes) && slices.EqualFunc(was, groups, func(a, b store.Group) bool { return a.ID == b.ID }) {
		return row, nil
	}
	row.Attributes = attributes
	var names []string
	for _, g := range groups {
		names = append(names, g.Name)
	}
	entry := store.AuditEntry{At: p.base.Config().Now(), Person: row.Name, Action: "change person", Subject: fmt.Sprintf("%s, by openid: groups %s; %s", row.Name, strings.Join(names, " | "), attributeText(attributes))}
	return row, p.base.Store.SetPersonIn(ctx, row, groups, entry)
}

// texts are the texts of a claim: one, or a list of them.
func texts(claim any) (all []string) {
	items, isList := claim.([]any)
	if !isList {
		items = []any{claim}
	}
	for _, item := range items {
		switch item := item.(type) {
		case string:
			all = append(all, item)
		case float64:
			all = append(all, strconv.FormatFloat(item, 'f', -1, 64))
		case bool:
			all = append(all, strconv.FormatBool(item))
		}
	}
	return all
}
