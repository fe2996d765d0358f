package server

import (
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"

	"ruvel/core/problem"
)

// ours lets only requests through that were sent to a name of ours: a loopback address,
// localhost, or one of the names that were given. A foreign page whose own name has been
// made to point here (DNS rebinding) would otherwise count as ours in the browser.
func (s *Server) ours(names func() []string) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if name := hostOf(r.Host); !isOurs(name, names()) {
				refuse(w, newError(http.StatusMisdirectedRequest, fmt.Sprintf(
					"Ruvel does not answer to the name “%s”. Open it at the address that it printed when it was started, or give it this name with --name.", shorten(name)), "unknown-name"))
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

// hostOf is the name or address of a Host header, without port, brackets and final dot.
func hostOf(header string) string {
	name := header
	if host, _, err := net.SplitHostPort(header); err == nil {
		name = host
	}
	return strings.ToLower(strings.TrimSuffix(strings.Trim(name, "[]"), "."))
}

// Loopback says whether a name is one by which nobody but those at this machine reach it.
func Loopback(name string) bool { return isOurs(hostOf(name), nil) }

func isOurs(name string, names []string) bool {
	if address, err := netip.ParseAddr(name); err == nil && address.Unmap().IsLoopback() {
		return true
	}
	return name == "localhost" || slices.ContainsFunc(names, func(n string) bool { return hostOf(n) == name })
}

// shorten is a name that somebody else has chosen, as it is told.
func shorten(name string) string { return problem.Short(name, 80) }

// foreign answers a request that a page of another origin has sent.
func foreign(w http.ResponseWriter, _ *http.Request) {
	refuse(w, newError(http.StatusForbidden, "This request came from a page that is not Ruvel's, and was not carried out.", "foreign-page"))
}

// wrongMethod answers a request whose method the address does not know.
func wrongMethod(w http.ResponseWriter, r *http.Request) {
	refuse(w, newError(http.StatusMethodNotAllowed, fmt.Sprintf("This address cannot be asked with %s.", shorten(r.Method)), "wrong-method"))
}

func notFound(w http.ResponseWriter, _ *http.Request) {
	refuse(w, newError(http.StatusNotFound, "There is nothing at this address.", "not-found"))
}
