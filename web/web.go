// Package web embeds the pages' templates and the assets served with them.
package web

import "embed"

// Templates are the html/template files.
//
//go:embed templates/*.html
var Templates embed.FS

// Assets are styles, fonts and scripts, served under /assets/.
//
//go:embed assets scripts
var Assets embed.FS
