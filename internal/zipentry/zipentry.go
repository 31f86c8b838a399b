// Package zipentry heads the entries of zips so that they come out of any unzipper
// as they went in: with their date, and with names in UTF-8 on whatever system.
package zipentry

import (
	"archive/zip"
	"time"
)

// New heads an entry. It says that it was made on Unix, as Info-ZIP's unzip reads names of
// other systems in those systems' old code pages, whatever the entry says (APPNOTE.TXT 6.3.10,
// 4.4.2 and appendix D).
func New(name string, method uint16, at time.Time) *zip.FileHeader {
	h := &zip.FileHeader{Name: name, Method: method, Modified: at}
	h.SetMode(0o644)
	return h
}
