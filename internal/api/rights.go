package api

import (
	"context"
	"errors"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
	"pikegate/internal/store"
)

// anybody is for operations that one need not sign in for.
const anybody = "anybody"

// rights say for each operation who may call it: anybody, or who has that role at least. An
// operation that does not stand here is not served.
var rights = map[string]string{
	"health": anybody, "ready": anybody, "about": anybody, "sign-in": anybody, "begin-openid": anybody, "end-openid": anybody, "read-live": anybody,

	"list-reports": base.Reader, "show-report": base.Reader, "read-line": base.Reader, "understand-answers": base.Reader, "list-choices": base.Reader,
	"show-histogram": base.Reader, "count-matches": base.Reader, "run-report": base.Reader,
	"list-receipts": base.Reader, "show-receipt": base.Reader, "run-again": base.Reader, "cancel-run": base.Reader,
	"list-kept": base.Reader, "show-kept": base.Reader, "keep-answers": base.Reader, "forget-kept": base.Reader,
	"list-schedules": base.Reader, "show-schedule": base.Reader, "set-schedule": base.Reader, "drop-schedule": base.Reader, "run-schedule": base.Reader,
	"list-links": base.Reader, "make-link": base.Reader, "revoke-link": base.Reader,
	"sign-out": base.Reader, "show-account": base.Reader, "change-password": base.Reader, "make-token": base.Reader, "end-pass": base.Reader,

	"explain-report": base.Developer, "compare-versions": base.Developer, "rehearse-report": base.Developer,
	"list-definitions": base.Developer, "put-definitions": base.Developer, "check-definitions": base.Developer, "effect-of-files": base.Developer,
	"definition-schema": base.Developer, "delete-definition": base.Developer, "get-definition": base.Developer, "show-difference": base.Developer,
	"publish-revision": base.Developer, "rename-definition": base.Developer, "list-revisions": base.Developer, "list-users": base.Developer,
	"list-drafts": base.Developer, "check-drafts": base.Developer, "effect-of-drafts": base.Developer, "read-phrase": base.Developer,
	"publish-drafts": base.Developer, "list-readings": base.Developer, "list-words": base.Developer, "drop-draft": base.Developer, "get-draft": base.Developer,
	"save-draft": base.Developer, "count-variants": base.Developer, "edit-draft": base.Developer, "redo-draft": base.Developer, "take-theirs": base.Developer,
	"undo-draft": base.Developer, "remove-table": base.Developer, "load-table": base.Developer, "rename-table": base.Developer,
	"metrics": base.Developer, "list-mail": base.Developer, "show-mail": base.Developer, "list-sources": base.Developer, "list-counts": base.Developer, "count-again": base.Developer, "list-tables": base.Developer, "inspect-table": base.Developer,
	"propose-joins": base.Developer,

	"list-people": base.Admin, "add-person": base.Admin, "change-person": base.Admin, "list-groups": base.Admin, "set-group": base.Admin, "drop-group": base.Admin, "list-audit": base.Admin, "verify-audit": base.Admin, "backup": base.Admin,
}

// forAll are operations that tell of reports of all shelves, so that they are not for who is limited to some.
var forAll = map[string]bool{"metrics": true, "list-mail": true, "show-mail": true}

// onRecord are the operations that the audit tells of once they are done, beside what people and
// their rights change, with words for them.
var onRecord = map[string]string{
	"put-definitions": "put definitions", "publish-drafts": "publish drafts", "publish-revision": "publish a revision", "delete-definition": "delete a definition",
	"rename-definition": "rename a definition", "load-table": "load a table", "rename-table": "rename a table", "remove-table": "remove a table",
	"backup": "make a backup", "make-link": "make a live link", "revoke-link": "revoke a live link",
}

// noShelf is none that a report could lie on.
const noShelf = "\x00"

// AsHeader names, percent-encoded, the person as whom a report is to be seen.
const AsHeader = "Pikegate-As"

// seenAs are the operations for which it may stand.
var seenAs = map[string]bool{"list-reports": true, "show-report": true, "understand-answers": true, "list-choices": true, "show-histogram": true, "count-matches": true, "run-report": true, "show-receipt": true, "cancel-run": true}

// sessionCookie is the cookie of a session.
const sessionCookie = "pikegate_session"

// personal tells who asks: whom a token or a session lets in, else nobody; the one local developer
// where nobody has to sign in. What lets nobody in is refused at once.
func (r routes) personal(c *gin.Context) {
	person := base.Person{Name: "local developer", Role: base.Developer}
	if r.service.People.On() {
		secret, kind := sentWith(c.Request)
		person = base.Person{}
		if name := r.named(c.Request); name != "" {
			var there bool
			if person, there = r.service.Base.PersonNow(c.Request.Context(), name, base.Admin); !there {
				r.service.People.Done(base.WithPerson(c.Request.Context(), base.Person{Name: name}), "refused", "the proxy let in somebody who is not known here")
				writeProblem(c, unknownPerson("you are signed in as somebody who is not known here; an admin adds you by the same name"))
				return
			}
		} else if secret != "" {
			var err error
			person, err = r.service.People.Who(c.Request.Context(), secret, kind)
			switch {
			case errors.Is(err, store.ErrNone) && kind == store.Session:
				// It has ended: whoever has its cookie is nobody, and may sign in.
			case errors.Is(err, store.ErrNone):
				writeProblem(c, unknownPerson("the token is not known, or has ended; pikegate sign-in gets another"))
				return
			case err != nil:
				r.service.Base.Log.Error("who asks cannot be looked up", "err", err)
				writeProblem(c, newProblem(http.StatusInternalServerError, fault.Failed, "the service failed to do this; its log has the cause"))
				return
			}
		}
	}
	if person.Name != "" && r.service.People.On() {
		if wait := r.pace.wait(person.Name); wait > 0 {
			tooFast(c, wait)
			return
		}
	}
	if as := c.GetHeader(AsHeader); as != "" && person.Name != "" {
		var p *Problem
		if person, p = r.as(c.Request.Context(), person, as); p != nil {
			writeProblem(c, p)
			return
		}
	}
	c.Request = c.Request.WithContext(base.WithPerson(c.Request.Context(), person))
	c.Next()
}

// as is another person as whom a developer or an admin sees a report: with no more than that one may.
func (r routes) as(ctx context.Context, who base.Person, name string) (base.Person, *Problem) {
	if plain, err := url.PathUnescape(name); err == nil {
		name = plain
	}
	switch {
	case !r.service.People.On():
		return who, newProblem(http.StatusConflict, fault.Conflict, "nobody has to sign in to this service, so that everybody sees the same of a report")
	case !who.May(base.Developer):
		return who, newProblem(http.StatusForbidden, fault.RightMissing, "to see a report as somebody else takes the role developer, and "+who.Name+" is a "+who.Role)
	}
	other, there := r.service.Base.PersonNow(ctx, name, who.Role)
	if !there {
		return who, newProblem(http.StatusNotFound, fault.Unknown, "nobody who may sign in is called "+strconv.Quote(english.Shorten(name)))
	}
	other.By = who.Name
	if who.IsLimited() {
		other.Shelves = slices.DeleteFunc(slices.Clone(who.Shelves), func(shelf string) bool { return !other.Sees(shelf) })
		if len(other.Shelves) == 0 {
			other.Shelves = []string{noShelf}
		}
	}
	return other, nil
}

// named is whom a proxy that is trusted says to have let in, "" where none does.
func (r routes) named(req *http.Request) string {
	limits := r.limits.Load()
	if limits.ProxyHeader == "" {
		return ""
	}
	from, err := netip.ParseAddrPort(req.RemoteAddr)
	if err != nil || !slices.ContainsFunc(limits.ProxyAddresses, func(p netip.Prefix) bool { return p.Contains(from.Addr().Unmap()) }) {
		return ""
	}
	return strings.TrimSpace(req.Header.Get(limits.ProxyHeader))
}

// sentWith is what a request has to let its person in.
func sentWith(r *http.Request) (secret string, kind store.PassKind) {
	if scheme, token, ok := strings.Cut(r.Header.Get("Authorization"), " "); ok && strings.EqualFold(scheme, "Bearer") {
		return strings.TrimSpace(token), store.Token
	}
	if cookie, err := r.Cookie(sessionCookie); err == nil {
		return cookie.Value, store.Session
	}
	return "", ""
}

func unknownPerson(detail string) *Problem {
	return newProblem(http.StatusUnauthorized, fault.SignInRequired, detail)
}

// held lets an operation be called by who may, and puts on record what was done.
func (r routes) held(ctx huma.Context, next func(huma.Context)) {
	c, operation := humagin.Unwrap(ctx), ctx.Operation().OperationID
	if p := r.may(ctx.Context(), rights[operation], operation); p != nil {
		if p.Status == http.StatusUnauthorized {
			c.Header("WWW-Authenticate", `Bearer realm="Pike Gate"`)
		}
		writeProblem(c, p)
		return
	}
	if who := base.PersonOf(ctx.Context()); who.IsLimited() && forAll[operation] {
		writeProblem(c, newProblem(http.StatusForbidden, fault.RightMissing, "that tells of reports of all shelves, and "+who.Name+" is limited to some"))
		return
	}
	if who := base.PersonOf(ctx.Context()); who.By != "" && !seenAs[operation] {
		writeProblem(c, newProblem(http.StatusForbidden, fault.RightMissing, "a report is seen as somebody else, and nothing else is done as them"))
		return
	}
	next(ctx)
	if action := onRecord[operation]; action != "" && c.Writer.Status() < 300 {
		r.service.People.Done(ctx.Context(), action, c.Request.URL.Path)
	}
}

// may refuses who may not do what takes a role; "" is for nobody.
func (r routes) may(ctx context.Context, role, what string) *Problem {
	who := base.PersonOf(ctx)
	switch {
	case role == anybody, role != "" && !r.service.People.On(), role != "" && who.Name != "" && who.May(role):
		return nil
	case role != "" && who.Name == "":
		return unknownPerson("sign in first: this service is for people that it knows")
	}
	r.service.People.Done(ctx, "refused", what)
	return newProblem(http.StatusForbidden, fault.RightMissing, "that takes the role "+role+", and "+who.Name+" is a "+who.Role)
}

// tooMany is a sign-in that is put off.
func tooMany(e *people.TooMany) error {
	p := newProblem(http.StatusTooManyRequests, fault.TooManyTries, e.Error())
	header := http.Header{}
	header.Set("Retry-After", strconv.Itoa(e.Seconds()))
	return huma.ErrorWithHeaders(p, header)
}

// hostOf is an address without its port.
func hostOf(address string) string {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return address
	}
	return host
}
