package api_test

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/api"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
	"pikegate/internal/standin"
)

// harbourLogin is a service whose people sign in at a provider, and somebody between the two.
type harbourLogin struct {
	t        *testing.T
	service  *service.Service
	url      string
	provider *httptest.Server
	tamper   func(token map[string]any) // what is done to the provider's answer with the ID token
	down     bool
	claims   []standin.Claims // of whom the provider lets in
	now      time.Time
}

func newHarbourLogin(t *testing.T, with func(*base.OpenID)) *harbourLogin {
	t.Helper()
	l := &harbourLogin{t: t, now: time.Now(), tamper: func(map[string]any) {}}
	l.claims = []standin.Claims{
		{Name: "Ines"}, {Name: "Solveig", More: map[string]any{"harbours": []string{"Holm", "Skerry"}, "groups": []string{"quay", "nowhere"}}},
		{Name: "Rolf"}, {Name: "Arvid"}, {Name: "two\nlines"},
	}
	l.provider = httptest.NewUnstartedServer(nil)
	issuer := "http://" + l.provider.Listener.Addr().String()
	real, err := standin.NewOpenID(issuer, "reports", l.claims)
	require.NoError(t, err)
	l.provider.Config.Handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case l.down:
			w.WriteHeader(http.StatusServiceUnavailable)
		case r.URL.Path == "/token":
			got := httptest.NewRecorder()
			real.ServeHTTP(got, r)
			var token map[string]any
			_ = json.Unmarshal(got.Body.Bytes(), &token)
			l.tamper(token)
			w.Header().Set("Content-Type", "application/json")
			w.WriteHeader(got.Code)
			_ = json.NewEncoder(w).Encode(token)
		default:
			real.ServeHTTP(w, r)
		}
	})
	l.provider.Start()
	t.Cleanup(l.provider.Close)
	front := httptest.NewUnstartedServer(nil)
	l.url = "http://" + front.Listener.Addr().String()
	config := base.Config{Log: slog.New(slog.DiscardHandler), Dir: t.TempDir(), RunTime: time.Minute, Now: func() time.Time { return l.now }, Address: l.url, OpenID: base.OpenID{Issuer: issuer, Client: "reports", Name: "preferred_username"}}
	with(&config.OpenID)
	l.service, err = service.Open(context.Background(), config)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, l.service.Close()) })
	front.Config.Handler = api.New(l.service, api.Limits{})
	front.Start()
	t.Cleanup(front.Close)
	_, err = l.service.People.Add(t.Context(), "Ida", idaPassword, base.Admin, people.Limits{})
	require.NoError(t, err)
	return l
}

func (l *harbourLogin) add(name, password, role string) {
	l.t.Helper()
	_, err := l.service.People.Add(l.t.Context(), name, password, role, people.Limits{})
	require.NoError(l.t, err)
}

// browser follows redirects only within the provider.
func (l *harbourLogin) browser() *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(l.t, err)
	return &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
}

// get asks for a page, and returns where that leads.
func (l *harbourLogin) get(b *http.Client, at string) string {
	l.t.Helper()
	answer, err := b.Get(at)
	require.NoError(l.t, err)
	defer answer.Body.Close()
	text, _ := io.ReadAll(answer.Body)
	require.Equal(l.t, http.StatusSeeOther, answer.StatusCode, "%s: %s", at, text)
	return answer.Header.Get("Location")
}

// comeBack begins a sign-in and returns where the provider sends the browser once it has picked who it is.
func (l *harbourLogin) comeBack(b *http.Client, name, to string) string {
	l.t.Helper()
	at := l.get(b, l.url+"/api/v1/session/openid?to="+url.QueryEscape(to))
	require.True(l.t, strings.HasPrefix(at, l.provider.URL+"/authorize?"), at)
	return l.get(b, at+"&person="+url.QueryEscape(name))
}

// signIn signs in, and returns the page that it ends on.
func (l *harbourLogin) signIn(b *http.Client, name string) string {
	l.t.Helper()
	return l.get(b, l.comeBack(b, name, "/runs?state=rows"))
}

// signInTo signs in as another browser, and returns the page that it ends on.
func (l *harbourLogin) signInTo(name, to string) string {
	l.t.Helper()
	b := l.browser()
	return l.get(b, l.comeBack(b, name, to))
}

// who is whom the service takes a browser for.
func (l *harbourLogin) who(b *http.Client) (a api.About) {
	l.t.Helper()
	answer, err := b.Get(l.url + "/api/v1/about")
	require.NoError(l.t, err)
	defer answer.Body.Close()
	require.NoError(l.t, json.NewDecoder(answer.Body).Decode(&a))
	return a
}

const page, refusedPage = "/runs?state=rows", "/runs?sign-in=%s&state=rows"

func TestSigningInAtAProvider(t *testing.T) {
	l := newHarbourLogin(t, func(o *base.OpenID) { o.Attributes, o.Groups = []string{"harbours"}, "groups" })
	l.add("Solveig", "", base.Reader)
	l.add("Rolf", rolfPassword, base.Reader)
	admin := base.WithPerson(t.Context(), base.Person{Name: "Ida", Role: base.Admin})
	for _, g := range []string{"quay", "office"} {
		_, err := l.service.People.SetGroup(admin, people.Group{Name: g, Members: []string{"Rolf"}})
		require.NoError(t, err)
	}

	solveig := l.browser()
	assert.Equal(t, strings.TrimPrefix(l.provider.URL, "http://"), l.who(solveig).OpenID)
	assert.Equal(t, page, l.signIn(solveig, "Solveig"))
	assert.Equal(t, []string{"Solveig", base.Reader}, []string{l.who(solveig).Person, l.who(solveig).Role})
	all, err := l.service.People.List(t.Context())
	require.NoError(t, err)
	told := map[string]people.Person{}
	for _, p := range all {
		told[p.Name] = p
	}
	assert.Equal(t, map[string][]string{"harbours": {"Holm", "Skerry"}}, told["Solveig"].Attributes)
	assert.Equal(t, []string{"quay"}, told["Solveig"].Groups)
	assert.Equal(t, []string{"openid"}, told["Solveig"].SignsIn)
	assert.Equal(t, []string{"office", "quay"}, told["Rolf"].Groups, "who are in it otherwise stay in it")

	// What the provider does not say any more is gone with the next sign-in.
	l.claims[1].More = nil
	assert.Equal(t, page, l.signIn(l.browser(), "Solveig"))
	all, err = l.service.People.List(t.Context())
	require.NoError(t, err)
	for _, p := range all {
		if p.Name == "Solveig" {
			assert.Equal(t, []any{map[string][]string{}, []string{}}, []any{p.Attributes, p.Groups})
		}
	}

	// Who has a password, and who is not known, is not let in; nor is who was sent away.
	for name, why := range map[string]string{"Rolf": "password", "Arvid": "unknown", "two\nlines": "unknown"} {
		b := l.browser()
		assert.Equal(t, strings.Replace(refusedPage, "%s", why, 1), l.signIn(b, name), name)
		assert.Empty(t, l.who(b).Person, name)
	}
	_, err = l.service.People.Set(admin, "Rolf", people.PersonChange{NoPassword: true})
	require.NoError(t, err)
	assert.Equal(t, page, l.signIn(l.browser(), "Rolf"))
	away := true
	_, err = l.service.People.Set(admin, "Solveig", people.PersonChange{Away: &away})
	require.NoError(t, err)
	assert.Empty(t, l.who(solveig).Person)
	assert.Equal(t, strings.Replace(refusedPage, "%s", "gone", 1), l.signIn(solveig, "Solveig"))

	// The only admin keeps a way in, and nobody without a password comes in by name.
	_, err = l.service.People.Set(admin, "Ida", people.PersonChange{NoPassword: true})
	assert.ErrorContains(t, err, "the only admin who can sign in")
	for _, password := range []string{"", " ", rolfPassword} {
		_, _, _, err = l.service.People.SignIn(t.Context(), "Rolf", password, "192.0.2.1", "")
		assert.ErrorContains(t, err, "the name or the password is not right")
	}
}

// What a browser or somebody on the way makes of a sign-in lets nobody in.
// Of somebody who comes for the first time in several windows at once each lets them in, and they are there once.
func TestFirstSignInsAtOnce(t *testing.T) {
	for _, known := range []bool{false, true} {
		l := newHarbourLogin(t, func(o *base.OpenID) { o.Adds = base.Reader })
		if known {
			l.add("Arvid", "", base.Reader)
		}
		var at []string
		var windows []*http.Client
		for range 8 {
			b := l.browser()
			windows, at = append(windows, b), append(at, l.comeBack(b, "Arvid", "/runs?state=rows"))
		}
		var all, there sync.WaitGroup
		there.Add(len(windows))
		l.tamper = func(map[string]any) { there.Done(); there.Wait() } // until all of them are known at the provider
		for i, b := range windows {
			all.Go(func() {
				answer, err := b.Get(at[i])
				if assert.NoError(t, err) {
					answer.Body.Close()
					assert.Equal(t, []any{http.StatusSeeOther, page}, []any{answer.StatusCode, answer.Header.Get("Location")})
				}
			})
		}
		all.Wait()
		people, err := l.service.People.List(t.Context())
		require.NoError(t, err)
		assert.Len(t, people, 2, "with Ida")
	}
}

func TestForgedSignIns(t *testing.T) {
	l := newHarbourLogin(t, func(*base.OpenID) {})
	l.add("Ines", "", base.Developer)
	l.add("Solveig", "", base.Reader)
	anew := strings.Replace(refusedPage, "%s", "anew", 1)
	refusedAs := func(want, at string, b *http.Client) {
		t.Helper()
		assert.Equal(t, want, l.get(b, at))
		assert.Empty(t, l.who(b).Person)
	}
	changed := func(at, key, value string) string {
		u, err := url.Parse(at)
		require.NoError(t, err)
		q := u.Query()
		q.Set(key, value)
		u.RawQuery = q.Encode()
		return u.String()
	}

	// Brought back by another browser than the one that began it: nobody signs somebody else in.
	b := l.browser()
	back := l.comeBack(b, "Ines", page)
	refusedAs("/?sign-in=anew", back, l.browser())
	assert.Equal(t, page, l.get(b, back), "the right one is not kept out by it")
	// Again, by who saw it pass: with the cookie too.
	b = l.browser()
	back = l.comeBack(b, "Ines", page)
	u, err := url.Parse(l.url + "/api/v1/session/openid/return")
	require.NoError(t, err)
	kept := b.Jar.Cookies(u)
	assert.Equal(t, page, l.get(b, back))
	thief := l.browser()
	thief.Jar.SetCookies(u, kept)
	refusedAs(anew, back, thief)
	// With parts changed, and late.
	b = l.browser()
	back = l.comeBack(b, "Ines", page)
	refusedAs("/?sign-in=anew", changed(back, "state", "x"), b)
	b = l.browser()
	refusedAs(anew, changed(l.comeBack(b, "Ines", page), "code", "x"), b)
	b = l.browser()
	refusedAs(anew, changed(l.comeBack(b, "Ines", page), "iss", "https://elsewhere.example.test"), b)
	b = l.browser()
	refusedAs(anew, changed(l.comeBack(b, "Ines", page), "error", "access_denied"), b)
	b = l.browser()
	back = l.comeBack(b, "Ines", page)
	l.now = l.now.Add(11 * time.Minute)
	refusedAs(anew, back, b)
	// So many tries are slowed down, until they are forgotten.
	b = l.browser()
	refusedAs("/?sign-in=busy", l.comeBack(b, "Ines", page), b)
	l.now = l.now.Add(2 * time.Hour)

	// A sign-in that the browser kept is no other one: neither changed, nor somebody else's.
	forged := l.browser()
	l.comeBack(forged, "Ines", page)
	sealed := forged.Jar.Cookies(u)[0]
	text, err := base64.RawURLEncoding.DecodeString(sealed.Value)
	require.NoError(t, err)
	sealed.Value = base64.RawURLEncoding.EncodeToString(bytes.Replace(text, []byte("/runs"), []byte("/evil"), 1))
	sealed.Path = "/api/v1/session/openid"
	forged.Jar.SetCookies(u, []*http.Cookie{sealed})
	refusedAs("/?sign-in=anew", l.url+"/api/v1/session/openid/return?state=x&code=y", forged)
}

// ID tokens that do not hold let nobody in.
func TestForgedIDTokens(t *testing.T) {
	var first string
	parts := func(token map[string]any) []string { return strings.Split(token["id_token"].(string), ".") }
	encoded := func(text string) string { return base64.RawURLEncoding.EncodeToString([]byte(text)) }
	for name, tamper := range map[string]func(l *harbourLogin, token map[string]any){
		"said of somebody else": func(_ *harbourLogin, token map[string]any) {
			p := parts(token)
			text, _ := base64.RawURLEncoding.DecodeString(p[1])
			p[1] = encoded(strings.ReplaceAll(string(text), "Solveig", "Ines"))
			token["id_token"] = strings.Join(p, ".")
		},
		"not signed": func(_ *harbourLogin, token map[string]any) {
			p := parts(token)
			token["id_token"] = encoded(`{"alg":"none"}`) + "." + p[1] + "."
		},
		"signed by another provider": func(l *harbourLogin, token map[string]any) {
			other, err := standin.NewOpenID(l.provider.URL, "reports", l.claims)
			require.NoError(l.t, err)
			token["id_token"] = tokenOf(l.t, other, l.provider.URL, "reports")
		},
		"of another sign-in": func(_ *harbourLogin, token map[string]any) { token["id_token"] = first },
		"none":               func(_ *harbourLogin, token map[string]any) { delete(token, "id_token") },
	} {
		t.Run(name, func(t *testing.T) {
			l := newHarbourLogin(t, func(*base.OpenID) {})
			l.add("Ines", "", base.Developer)
			l.add("Solveig", "", base.Reader)
			l.tamper = func(token map[string]any) { first = token["id_token"].(string) }
			require.Equal(t, page, l.signIn(l.browser(), "Solveig"))
			l.tamper = func(token map[string]any) { tamper(l, token) }
			b := l.browser()
			assert.Equal(t, strings.Replace(refusedPage, "%s", "anew", 1), l.signIn(b, "Solveig"))
			assert.Empty(t, l.who(b).Person)
			entries, err := l.service.People.Audit(t.Context(), 0, 1)
			require.NoError(t, err)
			assert.Equal(t, "sign-in refused", entries[0].Action)
			assert.Contains(t, entries[0].Subject, "what the provider says of the person does not hold")
			l.tamper = func(map[string]any) {}
			assert.Equal(t, page, l.signIn(b, "Solveig"), "the next one holds")
		})
	}
}

// tokenOf is an ID token that a provider gives of whoever asks first.
func tokenOf(t *testing.T, provider http.Handler, issuer, client string) string {
	t.Helper()
	ask := func(r *http.Request) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		provider.ServeHTTP(w, r)
		return w
	}
	const verifier, challenge = "a", "ypeBEsobvcr6wjGzmiPcTaeG7_gUfE5yuYB3ha_uSLs" // RFC 7636: SHA-256 of it
	q := url.Values{"client_id": {client}, "response_type": {"code"}, "scope": {"openid"}, "code_challenge_method": {"S256"}, "code_challenge": {challenge}, "redirect_uri": {"http://127.0.0.1/"}, "person": {"Solveig"}}
	at, err := url.Parse(ask(httptest.NewRequest("GET", "/authorize?"+q.Encode(), nil)).Header().Get("Location"))
	require.NoError(t, err)
	form := url.Values{"client_id": {client}, "code": {at.Query().Get("code")}, "code_verifier": {verifier}, "redirect_uri": {"http://127.0.0.1/"}}
	r := httptest.NewRequest("POST", "/token", strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	var token struct {
		ID string `json:"id_token"`
	}
	require.NoError(t, json.Unmarshal(ask(r).Body.Bytes(), &token))
	require.NotEmpty(t, token.ID)
	return token.ID
}

// The provider is away, or people of it are added by themselves; pages of elsewhere are not led to.
func TestAProviderThatIsAway(t *testing.T) {
	l := newHarbourLogin(t, func(o *base.OpenID) { o.Adds = base.Reader })
	l.down = true
	b := l.browser()
	assert.Equal(t, "/runs?sign-in=provider", l.get(b, l.url+"/api/v1/session/openid?to=/runs"))
	l.down = false
	assert.Equal(t, "/runs?sign-in=provider", l.get(b, l.url+"/api/v1/session/openid?to=/runs"), "it is left alone for a while")
	l.now = l.now.Add(6 * time.Second)
	back := l.comeBack(b, "Arvid", "/runs")
	l.down = true
	assert.Equal(t, "/runs?sign-in=provider", l.get(b, back))
	l.down = false
	for _, to := range []string{"https://elsewhere.example.test/", "//elsewhere.example.test", `/\elsewhere.example.test`, "elsewhere", "/\t/elsewhere.example.test", "javascript:x"} {
		b := l.browser()
		assert.Equal(t, "/", l.get(b, l.comeBack(b, "Arvid", to)), to)
		assert.Equal(t, []string{"Arvid", base.Reader}, []string{l.who(b).Person, l.who(b).Role})
	}
	entries, err := l.service.People.Audit(t.Context(), 0, 100)
	require.NoError(t, err)
	added := 0
	for _, e := range entries {
		if e.Action == "add person" && e.Subject == "Arvid, reader, by openid" {
			added++
		}
	}
	assert.Equal(t, 1, added)

	// An address of mail that the provider has not verified is no name.
	for verified, want := range map[bool]string{true: "/", false: "/?sign-in=unknown"} {
		l := newHarbourLogin(t, func(o *base.OpenID) { o.Adds, o.Name = base.Reader, "email" })
		l.claims[3].More = map[string]any{"email": "arvid@example.test", "email_verified": verified}
		assert.Equal(t, want, l.signInTo("Arvid", "/"))
	}

	// A service without a provider has no such sign-in.
	plain := newSmallCrew(t)
	answer, err := b.Get(plain.url + "/api/v1/session/openid")
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, http.StatusNotFound, answer.StatusCode)
}
