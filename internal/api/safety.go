package api

import (
	"net"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"
)

// onlyLoopback refuses requests whose Host is not this machine, which a page of
// another site could cause through a name that it lets point here, and writes that
// come from another site's page.
func onlyLoopback() echo.MiddlewareFunc {
	cross := http.NewCrossOriginProtection()
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			r := c.Request()
			if !isLoopback(r.Host) {
				return problem(http.StatusMisdirectedRequest, "Not this machine", "This service answers on this machine only; open it as 127.0.0.1 or localhost.")
			}
			if err := cross.Check(r); err != nil {
				return problem(http.StatusForbidden, "Another site asked", "Changes are taken from this service's own pages and from programs, not from pages of other sites.")
			}
			return next(c)
		}
	}
}

func isLoopback(hostport string) bool {
	host := hostport
	if h, _, err := net.SplitHostPort(hostport); err == nil {
		host = h
	}
	host = strings.Trim(host, "[]")
	if strings.EqualFold(host, "localhost") {
		return true
	}
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback()
}

// headers that every answer carries: nothing is loaded from elsewhere, nothing is
// guessed, no page frames this one.
func headers() echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			h := c.Response().Header()
			h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
			h.Set("X-Content-Type-Options", "nosniff")
			h.Set("Referrer-Policy", "same-origin")
			return next(c)
		}
	}
}
