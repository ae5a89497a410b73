package api

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/service/people"
)

// openidPath is where a sign-in at a provider begins.
const openidPath = Prefix + "/session/openid"

// openidCookie keeps a sign-in that has begun until the browser comes back from the provider.
const openidCookie = "pikegate_openid"

func (r routes) registerOpenID(api huma.API) {
	about := func(id, path, summary string, errors ...int) huma.Operation {
		return huma.Operation{OperationID: id, Method: http.MethodGet, Path: path, Summary: summary, Errors: errors, DefaultStatus: http.StatusSeeOther}
	}
	huma.Register(api, about("begin-openid", openidPath, "Send the browser to the provider that people sign in at, by OpenID Connect", 404), r.beginOpenID)
	end := about("end-openid", people.ReturnPath, "Where the provider sends the browser back to; a cookie keeps the session", 404)
	end.SkipValidateParams = true // providers add some of their own
	huma.Register(api, end, r.endOpenID)
}

// sentOn sends a browser to another page.
type sentOn struct {
	Location  string        `header:"Location" doc:"Where it goes on."`
	SetCookie []http.Cookie `header:"Set-Cookie"`
}

func (r routes) beginOpenID(ctx context.Context, in *struct {
	origin
	To string `query:"to" maxLength:"2000" doc:"The page that is wanted once one is in."`
}) (*sentOn, error) {
	at, kept, ends, err := r.service.People.BeginOpenID(in.To)
	if err != nil {
		return r.notIn(ctx, in.To, err)
	}
	return &sentOn{Location: at, SetCookie: []http.Cookie{r.cookie(in.origin, openidCookie, openidPath, kept, ends)}}, nil
}

func (r routes) endOpenID(ctx context.Context, in *struct {
	origin
	State  string `query:"state" doc:"What the provider was given."`
	Code   string `query:"code" doc:"What it lets the person in by."`
	Error  string `query:"error" doc:"Why it lets nobody in."`
	Issuer string `query:"iss" doc:"Who it is (RFC 9207)."`
	Kept   string `cookie:"pikegate_openid" doc:"What the browser kept since the sign-in began."`
}) (*sentOn, error) {
	secret, ends, to, err := r.service.People.EndOpenID(ctx, people.Returned{State: in.State, Code: in.Code, Error: in.Error, Issuer: in.Issuer, Kept: in.Kept, Address: in.address, Browser: in.agent})
	r.countSignIn(err)
	gone := r.cookie(in.origin, openidCookie, openidPath, "", time.Unix(0, 0))
	if err != nil {
		sent, err := r.notIn(ctx, to, err)
		if err == nil {
			sent.SetCookie = []http.Cookie{gone}
		}
		return sent, err
	}
	return &sentOn{Location: to, SetCookie: []http.Cookie{gone, r.cookie(in.origin, sessionCookie, "/", secret, ends)}}, nil
}

// notIn sends somebody who is not let in back to the sign-in page, which says why.
func (r routes) notIn(ctx context.Context, to string, err error) (*sentOn, error) {
	var why people.OpenIDRefusal
	if !errors.As(err, &why) {
		return nil, problemOf(ctx, err)
	}
	page, failed := url.Parse(to)
	if failed != nil || !people.IsPage(to) {
		page = &url.URL{Path: "/"}
	}
	query := page.Query()
	query.Set("sign-in", string(why))
	page.RawQuery = query.Encode()
	return &sentOn{Location: page.String()}, nil
}
