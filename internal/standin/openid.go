package standin

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// OpenID is a provider of OpenID Connect at which whoever comes picks who they are. It keeps to the code
// flow with PKCE: codes are taken once, within a minute, by the client and with the verifier that belong to
// them.
type OpenID struct {
	issuer, client string
	people         []Claims
	key            *rsa.PrivateKey

	mu    sync.Mutex
	codes map[string]granted
}

// Claims are what is said of a person beside who they are. Name is preferred_username too.
type Claims struct {
	Name string
	More map[string]any
}

type granted struct {
	person                     Claims
	redirect, nonce, challenge string
	until                      time.Time
}

const (
	keyID    = "stand-in"
	codeTime = time.Minute
)

// NewOpenID makes a provider for a client, with the people that there are.
func NewOpenID(issuer, client string, people []Claims) (*OpenID, error) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	return &OpenID{issuer: issuer, client: client, people: people, key: key, codes: map[string]granted{}}, err
}

// ServeHTTP answers browsers and the service.
func (o *OpenID) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.Method + " " + r.URL.Path {
	case "GET /.well-known/openid-configuration":
		o.json(w, map[string]any{
			"issuer": o.issuer, "authorization_endpoint": o.issuer + "/authorize", "token_endpoint": o.issuer + "/token", "jwks_uri": o.issuer + "/keys",
			"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"RS256"},
			"code_challenge_methods_supported": []string{"S256"}, "authorization_response_iss_parameter_supported": true,
		})
	case "GET /keys":
		o.json(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: o.key.Public(), KeyID: keyID, Algorithm: string(jose.RS256), Use: "sig"}}})
	case "GET /authorize":
		o.authorize(w, r)
	case "POST /token":
		o.token(w, r)
	default:
		http.NotFound(w, r)
	}
}

func (o *OpenID) json(w http.ResponseWriter, what any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(what) // whoever is gone needs no answer
}

const pickHead = `<!doctype html>
<html lang="en"><meta charset="utf-8"><title>Stand-in for a provider</title><link rel="icon" href="data:,">
<body style="font-family: sans-serif; max-width: 30rem; margin: 3rem auto">
<h1>Who are you?</h1>
<p>This provider is a stand-in: whoever comes is whom they pick.</p>
<ul>`

// pick writes a page with a link for each person.
func (o *OpenID) pick(w http.ResponseWriter, q url.Values) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprint(w, pickHead)
	for _, p := range o.people {
		q.Set("person", p.Name)
		at := "/authorize?" + q.Encode()
		fmt.Fprintf(w, `<li><a href="%s">%s</a></li>`, html.EscapeString(at), html.EscapeString(p.Name))
	}
	fmt.Fprintln(w, "</ul>")
}

// authorize lets the browser pick who sits there; with person, that one is picked.
func (o *OpenID) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	back, err := url.Parse(q.Get("redirect_uri"))
	if q.Get("client_id") != o.client || err != nil || back.Host == "" || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" || !slices.Contains(strings.Fields(q.Get("scope")), "openid") {
		http.Error(w, "no client of that name asks in that way here", http.StatusBadRequest)
		return
	}
	picked := slices.IndexFunc(o.people, func(p Claims) bool { return p.Name == q.Get("person") })
	if picked < 0 {
		o.pick(w, q)
		return
	}
	code := rand.Text()
	o.mu.Lock()
	o.codes[code] = granted{o.people[picked], back.String(), q.Get("nonce"), q.Get("code_challenge"), time.Now().Add(codeTime)}
	o.mu.Unlock()
	answer := back.Query()
	answer.Set("code", code)
	answer.Set("state", q.Get("state"))
	answer.Set("iss", o.issuer)
	back.RawQuery = answer.Encode()
	http.Redirect(w, r, back.String(), http.StatusSeeOther)
}

// token gives the ID token of a code.
func (o *OpenID) token(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	code := r.PostFormValue("code")
	o.mu.Lock()
	g, there := o.codes[code]
	delete(o.codes, code)
	o.mu.Unlock()
	client, _, basic := r.BasicAuth()
	if !basic {
		client = r.PostFormValue("client_id")
	}
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	challenge := base64.RawURLEncoding.EncodeToString(sum[:])
	if !there || time.Now().After(g.until) || client != o.client || r.PostFormValue("redirect_uri") != g.redirect || subtle.ConstantTimeCompare([]byte(challenge), []byte(g.challenge)) != 1 {
		w.WriteHeader(http.StatusBadRequest)
		o.json(w, map[string]string{"error": "invalid_grant"})
		return
	}
	now := time.Now()
	claims := map[string]any{
		"iss": o.issuer, "aud": o.client, "sub": base64.RawURLEncoding.EncodeToString([]byte(g.person.Name)), "iat": now.Unix(), "exp": now.Add(codeTime).Unix(), "nonce": g.nonce,
		"name": g.person.Name, "preferred_username": g.person.Name,
	}
	maps.Copy(claims, g.person.More)
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: o.key, KeyID: keyID}}, nil)
	if err != nil {
		http.Error(w, "no token can be signed", http.StatusInternalServerError)
		return
	}
	token, err := jwt.Signed(signer).Claims(claims).Serialize()
	if err != nil {
		http.Error(w, "no token can be signed", http.StatusInternalServerError)
		return
	}
	o.json(w, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": int(codeTime.Seconds()), "id_token": token})
}
