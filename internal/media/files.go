package media

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"

	"nelko/internal/core/doc"
)

// FilesIn are media that lie in the local file system, by content.
type FilesIn map[doc.MediaID]string

var _ Files = FilesIn{}

// Path implements Files.
func (f FilesIn) Path(_ context.Context, id doc.MediaID) (string, error) {
	p, ok := f[id]
	if !ok {
		return "", fmt.Errorf("medium %.12s: %w", id, os.ErrNotExist)
	}
	return p, nil
}

// ContentOf names a file by its content, as documents do.
func ContentOf(path string) (doc.MediaID, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	if _, err := io.Copy(h, f); err != nil {
		return "", err
	}
	return doc.MediaID(hex.EncodeToString(h.Sum(nil))), nil
}
