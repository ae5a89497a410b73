package api

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
	"pikegate/internal/store"
)

func (r routes) registerPeople(api huma.API) {
	about := func(id, method, path, summary string, errors ...int) huma.Operation {
		return huma.Operation{OperationID: id, Method: method, Path: Prefix + path, Summary: summary, Errors: append([]int{400}, errors...), MaxBodyBytes: 64 << 10, BodyReadTimeout: readTime, DefaultStatus: http.StatusOK}
	}
	huma.Register(api, about("sign-in", http.MethodPost, "/session", "Sign in with a name and a password; a cookie keeps the session", 401, 409, 429), r.signIn)
	huma.Register(api, about("sign-out", http.MethodDelete, "/session", "Sign out, here or everywhere", 409), r.signOut)
	huma.Register(api, about("show-account", http.MethodGet, "/account", "Who asks, with their sessions and tokens", 409), r.account)
	huma.Register(api, about("change-password", http.MethodPut, "/account/password", "Change one's password; all sessions and tokens end", 409, 422, 429), r.changePassword)
	huma.Register(api, about("make-token", http.MethodPost, "/account/tokens", "Make a token for scripts, which is told this once", 409, 422), r.makeToken)
	huma.Register(api, about("end-pass", http.MethodDelete, "/account/passes/{pass}", "End a session or token of one's own", 404, 409), r.endPass)
	huma.Register(api, about("list-people", http.MethodGet, "/people", "Who may sign in, and who may no more"), r.people)
	huma.Register(api, about("add-person", http.MethodPost, "/people", "Add a person. With the first one, an admin, everybody has to sign in", 409, 422), r.addPerson)
	huma.Register(api, about("change-person", http.MethodPut, "/people/{person}", "Change what a person may do, their password, or whether they may sign in", 404, 409, 422), r.changePerson)
	huma.Register(api, about("list-groups", http.MethodGet, "/groups", "The groups of people"), r.groups)
	huma.Register(api, about("set-group", http.MethodPut, "/groups", "Add a group, or put one in the place of that of its name", 404, 422), r.setGroup)
	huma.Register(api, about("drop-group", http.MethodDelete, "/groups/{group}", "Drop a group; its people keep what they may themselves", 404), r.dropGroup)
	huma.Register(api, about("list-audit", http.MethodGet, "/audit", "What was done, the latest first"), r.audit)
	huma.Register(api, about("verify-audit", http.MethodGet, "/audit/verify", "Whether the record of what was done is whole"), r.verifyAudit)
}

// SignIn is a name with its password.
type SignIn struct {
	Name     string `json:"name" maxLength:"200" doc:"The name of the person."`
	Password string `json:"password" maxLength:"1000" doc:"Their password."`
}

// Signed is who signed in.
type Signed struct {
	Person string    `json:"person" doc:"Who signed in."`
	Role   string    `json:"role" enum:"reader,developer,admin" doc:"What they may do."`
	EndsAt time.Time `json:"ends_at" doc:"When the session ends at the latest."`
}

// origin is where a request comes from, and by what.
type origin struct {
	address, agent, host string
	encrypted            bool // by the service itself
}

// Resolve is huma's interface for what is taken of a request by hand.
func (o *origin) Resolve(ctx huma.Context) []error {
	o.address, o.agent = hostOf(ctx.RemoteAddr()), ctx.Header("User-Agent")
	o.host, o.encrypted = hostName(ctx.Host()), ctx.TLS() != nil
	return nil
}

// cookie keeps a secret in a browser until it ends; not at all where it is "". Over an encrypted way, by the
// service or by a proxy in front that it is reached by, it goes no other one.
func (r routes) cookie(o origin, name, path, secret string, ends time.Time) http.Cookie {
	at, err := url.Parse(r.service.Base.Config().Address)
	secure := o.encrypted || err == nil && at.Scheme == "https" && hostName(at.Host) == o.host
	c := http.Cookie{Name: name, Value: secret, Path: path, HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: secure, Expires: ends}
	if secret == "" {
		c.MaxAge = -1
	}
	return c
}

type withCookie[T any] struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      T
}

func (r routes) signIn(ctx context.Context, in *struct {
	origin
	Body SignIn
}) (*withCookie[Signed], error) {
	if !r.service.People.On() {
		return nil, problemOf(ctx, people.NobodySignsIn())
	}
	who, secret, ends, err := r.service.People.SignIn(ctx, in.Body.Name, in.Body.Password, in.address, in.agent)
	r.countSignIn(err)
	if err != nil {
		return nil, r.putOff(ctx, err)
	}
	return &withCookie[Signed]{r.cookie(in.origin, sessionCookie, "/", secret, ends), Signed{Person: who.Name, Role: who.Role, EndsAt: ends}}, nil
}

// putOff is the problem of an error, which may be one of too many tries.
func (r routes) putOff(ctx context.Context, err error) error {
	var many *people.TooMany
	if errors.As(err, &many) {
		return tooMany(many)
	}
	return problemOf(ctx, err)
}

func (r routes) signOut(ctx context.Context, in *struct {
	origin
	Everywhere bool `query:"everywhere" doc:"End all of one's sessions."`
}) (*withCookie[Done], error) {
	if err := r.service.People.SignOut(ctx, in.Everywhere); err != nil {
		return nil, problemOf(ctx, err)
	}
	return &withCookie[Done]{r.cookie(in.origin, sessionCookie, "/", "", time.Unix(0, 0)), Done{Status: "ok"}}, nil
}

// Done says that something was done.
type Done struct {
	Status string `json:"status" enum:"ok" doc:"Always ok."`
}

// Account is who asks.
type Account struct {
	Person  string        `json:"person" doc:"Who asks."`
	Role    string        `json:"role" enum:"reader,developer,admin" doc:"What they may do, as they asked."`
	SignsIn []string      `json:"signs_in" enum:"password,openid" doc:"How they sign in, as it is told of people."`
	Passes  []people.Pass `json:"passes" doc:"Their sessions and tokens, the latest first."`
}

func (r routes) account(ctx context.Context, _ *struct{}) (*body[Account], error) {
	signsIn, passes, err := r.service.People.Passes(ctx)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	who := base.PersonOf(ctx)
	return &body[Account]{Account{Person: who.Name, Role: who.Role, SignsIn: signsIn, Passes: passes}}, nil
}

// NewPassword is a password in place of another one.
type NewPassword struct {
	Before   string `json:"before" maxLength:"1000" doc:"The one that one has."`
	Password string `json:"password" maxLength:"1000" doc:"The new one: 10 letters at least, and not one of those that are tried first."`
}

func (r routes) changePassword(ctx context.Context, in *struct {
	origin
	Body NewPassword
}) (*status, error) {
	if err := r.service.People.SetPassword(ctx, in.Body.Before, in.Body.Password, in.address); err != nil {
		return nil, r.putOff(ctx, err)
	}
	return ok(), nil
}

// NewToken is a token to be made.
type NewToken struct {
	Name string `json:"name" minLength:"1" maxLength:"80" doc:"What it is for."`
	Role string `json:"role,omitempty" enum:"reader,developer,admin" doc:"The most that it lets do, no more than one may; one's own role where it is absent."`
	Days int    `json:"days,omitempty" minimum:"1" maximum:"366" default:"90" doc:"How long it lasts."`
}

// MadeToken is a token that was made.
type MadeToken struct {
	people.Pass
	Token string `json:"token" doc:"What is sent as Authorization: Bearer TOKEN. It is not told again."`
}

func (r routes) makeToken(ctx context.Context, in *struct {
	origin
	Body NewToken
}) (*body[MadeToken], error) {
	pass, secret, err := r.service.People.MakeToken(ctx, in.Body.Name, in.Body.Role, in.Body.Days, in.address)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[MadeToken]{MadeToken{*pass, secret}}, nil
}

func (r routes) endPass(ctx context.Context, in *struct {
	Pass int64 `path:"pass" minimum:"1" doc:"Its number."`
}) (*status, error) {
	if err := r.service.People.End(ctx, in.Pass); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

// PersonList is people.
type PersonList struct {
	People []people.Person `json:"people" doc:"By name."`
}

func (r routes) people(ctx context.Context, _ *struct{}) (*body[PersonList], error) {
	all, err := r.service.People.List(ctx)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[PersonList]{PersonList{all}}, nil
}

// NewPerson is a person to be added.
type NewPerson struct {
	Name     string `json:"name" maxLength:"200" doc:"Their name."`
	Password string `json:"password,omitempty" maxLength:"1000" doc:"Their password. Who has none signs in at the provider of the setting openid-provider, or is let in by a proxy."`
	Role     string `json:"role" enum:"reader,developer,admin" doc:"What they may do."`
	people.Limits
}

func (r routes) addPerson(ctx context.Context, in *struct{ Body NewPerson }) (*body[people.Person], error) {
	return answered[people.Person](ctx)(r.service.People.Add(ctx, in.Body.Name, in.Body.Password, in.Body.Role, in.Body.Limits))
}

func (r routes) changePerson(ctx context.Context, in *struct {
	Person string `path:"person" maxLength:"200" doc:"Their name."`
	Body   people.PersonChange
}) (*body[people.Person], error) {
	return answered[people.Person](ctx)(r.service.People.Set(ctx, in.Person, in.Body))
}

// GroupList is groups.
type GroupList struct {
	Groups []people.Group `json:"groups" doc:"By name."`
}

func (r routes) groups(ctx context.Context, _ *struct{}) (*body[GroupList], error) {
	all, err := r.service.People.Groups(ctx)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[GroupList]{GroupList{all}}, nil
}

func (r routes) setGroup(ctx context.Context, in *struct{ Body people.Group }) (*body[people.Group], error) {
	return answered[people.Group](ctx)(r.service.People.SetGroup(ctx, in.Body))
}

func (r routes) dropGroup(ctx context.Context, in *struct {
	Group string `path:"group" maxLength:"200" doc:"Its name."`
}) (*status, error) {
	if err := r.service.People.DropGroup(ctx, in.Group); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

// AuditList is what was done.
type AuditList struct {
	Entries []store.AuditEntry `json:"entries" doc:"The latest first."`
}

func (r routes) audit(ctx context.Context, in *struct {
	Before int64 `query:"before" minimum:"0" doc:"The number of an entry: those before it."`
	Limit  int   `query:"limit" minimum:"1" maximum:"10000" default:"200" doc:"How many at most."`
}) (*body[AuditList], error) {
	all, err := r.service.People.Audit(ctx, in.Before, in.Limit)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[AuditList]{AuditList{all}}, nil
}

// Verified is whether the record of what was done is whole.
type Verified struct {
	Entries int64 `json:"entries" doc:"How many there are."`
	Wrong   int64 `json:"wrong,omitempty" doc:"The first that does not hold: it or one before it was changed, or one is left out. Absent where all hold."`
}

func (r routes) verifyAudit(ctx context.Context, _ *struct{}) (*body[Verified], error) {
	entries, wrong, err := r.service.People.Verify(ctx)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[Verified]{Verified{entries, wrong}}, nil
}
