// Package provider is a stand-in for a provider of OpenID Connect: it says of everybody who comes that they are whoever it was told, and
// can be told to lie in each way that must not be believed. It checks what is asked of it as one outside would.
package provider

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// Provider is one that listens on loopback.
type Provider struct {
	Address string
	// Lie is what is wrong about what it says: its nonce, audience, signature or issuer, or that it is expired. Empty: nothing.
	Lie string

	client, secret string
	key, foreign   *rsa.PrivateKey
	mu             sync.Mutex
	subject, name  string
	asked          map[string]url.Values // by the codes that were given
}

// Start begins one that knows one client.
func Start(client, secret string) *Provider {
	p := &Provider{client: client, secret: secret, asked: map[string]url.Values{}}
	for _, key := range []**rsa.PrivateKey{&p.key, &p.foreign} {
		made, err := rsa.GenerateKey(rand.Reader, 2048)
		if err != nil {
			panic(err)
		}
		*key = made
	}
	web := http.NewServeMux()
	web.HandleFunc("GET /.well-known/openid-configuration", p.describe)
	web.HandleFunc("GET /authorize", p.authorize)
	web.HandleFunc("POST /token", p.token)
	web.HandleFunc("GET /keys", p.keys)
	p.Address = httptest.NewServer(web).URL
	return p
}

// Be says who comes next.
func (p *Provider) Be(subject, name string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.subject, p.name = subject, name
}

// Browser is a client that keeps cookies and follows where it is sent.
func Browser() *http.Client {
	jar, err := cookiejar.New(nil)
	if err != nil {
		panic(err)
	}
	return &http.Client{Jar: jar}
}

func (p *Provider) describe(w http.ResponseWriter, _ *http.Request) {
	answer(w, map[string]any{
		"issuer": p.Address, "authorization_endpoint": p.Address + "/authorize", "token_endpoint": p.Address + "/token", "jwks_uri": p.Address + "/keys",
		"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"RS256"},
	})
}

func (p *Provider) keys(w http.ResponseWriter, _ *http.Request) {
	answer(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: p.key.Public(), KeyID: "one", Algorithm: "RS256", Use: "sig"}}})
}

func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("client_id") != p.client || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" || q.Get("nonce") == "" || q.Get("state") == "" {
		http.Error(w, "this is not asked rightly", http.StatusBadRequest)
		return
	}
	p.mu.Lock()
	code := fmt.Sprintf("code %d", len(p.asked))
	p.asked[code] = q
	p.mu.Unlock()
	http.Redirect(w, r, q.Get("redirect_uri")+"?"+url.Values{"code": {code}, "state": {q.Get("state")}}.Encode(), http.StatusFound)
}

func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	id, secret, _ := r.BasicAuth()
	p.mu.Lock()
	defer p.mu.Unlock()
	asked, there := p.asked[r.PostFormValue("code")]
	delete(p.asked, r.PostFormValue("code"))
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	if !there || id != p.client || secret != p.secret || asked.Get("code_challenge") != base64.RawURLEncoding.EncodeToString(sum[:]) || asked.Get("redirect_uri") != r.PostFormValue("redirect_uri") {
		w.WriteHeader(http.StatusBadRequest)
		answer(w, map[string]string{"error": "invalid_grant"})
		return
	}
	said := map[string]any{
		"iss": p.Address, "sub": p.subject, "aud": p.client, "nonce": asked.Get("nonce"), "name": p.name, "iat": time.Now().Unix(), "exp": time.Now().Add(time.Minute).Unix(),
	}
	key := p.key
	switch p.Lie {
	case "nonce":
		said["nonce"] = "another"
	case "audience":
		said["aud"] = "another"
	case "issuer":
		said["iss"] = "http://another.example"
	case "expired":
		said["exp"] = time.Now().Add(-time.Hour).Unix()
	case "signature":
		key = p.foreign
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: key, KeyID: "one"}}, nil)
	if err == nil {
		var token string
		if token, err = jwt.Signed(signer).Claims(said).Serialize(); err == nil {
			answer(w, map[string]any{"access_token": "unused", "token_type": "Bearer", "expires_in": 60, "id_token": token})
			return
		}
	}
	http.Error(w, err.Error(), http.StatusInternalServerError)
}

func answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v)
}
