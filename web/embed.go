// Package web carries the built console inside the binary.
package web

import "embed"

// Dist holds dist/app, the built pages, and dist/index.html, which says how to build
// them where they are missing.
//
//go:embed all:dist
var Dist embed.FS
