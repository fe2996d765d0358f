// Package outside finds out who somebody is by a provider of OpenID Connect (Core 1.0, the code flow of section 3.1, with PKCE after RFC 7636):
// whoever signs in with it is known by an issuer and a subject, and is let in as the person that these stand for.
package outside

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"fmt"
	"log/slog"
	"strings"
	"sync"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"ruvel/core/problem"
)

// Settings name a provider.
type Settings struct {
	Issuer string // its address, as its tokens have it
	Client string
	Secret string
	Name   string // what people call it
}

// Provider says who somebody is. It is asked for its addresses when it is first needed: that it is away keeps nothing else from working.
type Provider struct {
	Settings

	mu    sync.Mutex
	found *oidc.Provider
}

// New is a provider, or nil where none is named.
func New(s Settings) *Provider {
	if s.Issuer == "" {
		return nil
	}
	if s.Name == "" {
		s.Name = strings.TrimPrefix(strings.TrimPrefix(s.Issuer, "https://"), "http://")
	}
	return &Provider{Settings: s}
}

// Asking is what is remembered of a question while somebody is at the provider.
type Asking struct{ State, Nonce, Verifier string }

// Known is who somebody is there.
type Known struct {
	Issuer, Subject string
	Name            string // what they are called, if that is told
}

func (p *Provider) asked(ctx context.Context) (*oidc.Provider, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.found != nil {
		return p.found, nil
	}
	// What is found is used for longer than this request lasts.
	found, err := oidc.NewProvider(context.WithoutCancel(ctx), p.Issuer)
	if err != nil {
		slog.Warn("the provider of sign-ins does not answer", "issuer", p.Issuer, "error", err)
		return nil, problem.New("outside-away", "outside", "%s does not answer at the moment. Try again in a while, or sign in by your name.", p.Name)
	}
	p.found = found
	return found, nil
}

func (p *Provider) config(of *oidc.Provider, back string) oauth2.Config {
	return oauth2.Config{ClientID: p.Client, ClientSecret: p.Secret, Endpoint: of.Endpoint(), RedirectURL: back, Scopes: []string{oidc.ScopeOpenID, "profile"}}
}

// Ask gives the address at which somebody says who they are, and comes back from to another.
func (p *Provider) Ask(ctx context.Context, back string) (address string, a Asking, err error) {
	of, err := p.asked(ctx)
	if err != nil {
		return "", a, err
	}
	a = Asking{State: random(), Nonce: random(), Verifier: oauth2.GenerateVerifier()}
	config := p.config(of, back)
	return config.AuthCodeURL(a.State, oidc.Nonce(a.Nonce), oauth2.S256ChallengeOption(a.Verifier)), a, nil
}

func random() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b)
	return base64.RawURLEncoding.EncodeToString(b)
}

// Answer is who came back, by what the provider gave them.
func (p *Provider) Answer(ctx context.Context, back string, a Asking, state, code string) (Known, error) {
	refused := problem.New("outside-refused", "outside", "%s has not said who you are. Try again.", p.Name)
	if a.State == "" || state != a.State || code == "" {
		return Known{}, refused
	}
	of, err := p.asked(ctx)
	if err != nil {
		return Known{}, err
	}
	config := p.config(of, back)
	token, err := config.Exchange(ctx, code, oauth2.VerifierOption(a.Verifier))
	if err != nil {
		slog.Warn("what a provider of sign-ins gave was not taken", "error", err)
		return Known{}, refused
	}
	raw, is := token.Extra("id_token").(string)
	if !is {
		return Known{}, refused
	}
	id, err := of.VerifierContext(ctx, &oidc.Config{ClientID: p.Client}).Verify(ctx, raw)
	if err != nil || id.Nonce != a.Nonce {
		slog.Warn("what a provider of sign-ins says is not to be trusted", "error", err)
		return Known{}, refused
	}
	var said struct {
		Name      string `json:"name"`
		Preferred string `json:"preferred_username"`
	}
	if err := id.Claims(&said); err != nil {
		return Known{}, fmt.Errorf("read what a provider says of somebody: %w", err)
	}
	if said.Name == "" {
		said.Name = said.Preferred
	}
	return Known{Issuer: id.Issuer, Subject: id.Subject, Name: said.Name}, nil
}
