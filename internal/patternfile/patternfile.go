// Package patternfile reads and writes a Run's pattern as a zip: the document as JSON, and its
// own media as they were received, so that its films can be made elsewhere.
package patternfile

import (
	"archive/zip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"regexp"
	"slices"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/zipentry"
)

// Name is the name of the document in the zip; media lie beside it in the folder media.
const Name = "pattern.json"

// What is read of a zip at most: bytes of its document, and of one of its media.
const (
	longestDocument = 32 << 20
	largestMedium   = 64 << 30
)

// Pattern is what a zip holds.
type Pattern struct {
	Doc     doc.Slideshow     // a pattern
	Details map[string]string // that all films share
	Media   []Medium          // in order of their names
}

// Medium is a file of a pattern.
type Medium struct {
	SHA256 string // of what it holds
	Name   string // in the folder media, and as it is called
	Came   time.Time
}

// form is the document as it is written.
type form struct {
	Document json.RawMessage   `json:"document"`
	Details  map[string]string `json:"details"`
	Media    map[string]string `json:"media"` // file names by content
}

// Write writes a pattern of that time; open gives what a medium holds.
func Write(w io.Writer, p Pattern, at time.Time, open func(sha string) (io.ReadCloser, error)) error {
	document, err := p.Doc.Marshal()
	if err != nil {
		return err
	}
	file := form{Document: document, Details: p.Details, Media: map[string]string{}}
	z := zip.NewWriter(w)
	for _, m := range p.Media {
		file.Media[m.SHA256] = m.Name
		if err := add(z, m, open); err != nil {
			return fmt.Errorf("%s: %w", m.Name, err)
		}
	}
	f, err := z.CreateHeader(zipentry.New(Name, zip.Deflate, at))
	if err != nil {
		return err
	}
	enc := json.NewEncoder(f)
	enc.SetIndent("", "  ")
	return errors.Join(enc.Encode(file), z.Close())
}

func add(z *zip.Writer, m Medium, open func(sha string) (io.ReadCloser, error)) error {
	in, err := open(m.SHA256)
	if err != nil {
		return err
	}
	defer in.Close()
	f, err := z.CreateHeader(zipentry.New("media/"+m.Name, zip.Store, m.Came))
	if err != nil {
		return err
	}
	_, err = io.Copy(f, in)
	return err
}

// Reader reads a pattern's zip.
type Reader struct {
	Pattern
	z *zip.ReadCloser
}

// sum is how what a file holds is named.
var sum = regexp.MustCompile(`^[0-9a-f]{64}$`)

// Open opens a zip; it is refused if what it holds is no pattern. Names in it lead nowhere else.
func Open(file string) (r *Reader, err error) {
	defer func() {
		if err != nil {
			err = fmt.Errorf("the pattern %s: %w", file, err)
		}
	}()
	z, err := zip.OpenReader(file)
	if err != nil {
		return nil, err
	}
	r = &Reader{z: z}
	if err := r.read(); err != nil {
		return nil, errors.Join(err, z.Close())
	}
	return r, nil
}

func (r *Reader) read() error {
	f, err := r.z.Open(Name)
	if err != nil {
		return err
	}
	defer f.Close()
	text, err := io.ReadAll(io.LimitReader(f, longestDocument+1))
	if err != nil {
		return err
	}
	if len(text) > longestDocument {
		return fmt.Errorf("%s is longer than %d MB", Name, longestDocument>>20)
	}
	var file form
	if err := json.Unmarshal(text, &file); err != nil {
		return err
	}
	if r.Doc, err = doc.Parse(file.Document); err != nil {
		return err
	}
	if r.Doc.Pattern == nil {
		return errors.New("it holds a film that is no pattern")
	}
	r.Details = file.Details
	for sha, name := range file.Media {
		if !sum.MatchString(sha) || name != path.Base(name) || strings.ContainsAny(name, `\:`) {
			return fmt.Errorf("it names a medium %q, %q, which no pattern does", sha, name)
		}
		r.Media = append(r.Media, Medium{SHA256: sha, Name: name})
	}
	slices.SortFunc(r.Media, func(a, b Medium) int { return strings.Compare(a.Name, b.Name) })
	return nil
}

// Extract writes a medium to a file of its own.
func (r *Reader) Extract(m Medium, to string) (err error) {
	in, err := r.z.Open("media/" + m.Name)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.Create(to)
	if err != nil {
		return err
	}
	n, err := io.Copy(out, io.LimitReader(in, largestMedium+1))
	if n > largestMedium {
		err = errors.Join(err, fmt.Errorf("it is larger than %d GB", largestMedium>>30))
	}
	return errors.Join(err, out.Close())
}

// Close closes the zip.
func (r *Reader) Close() error { return r.z.Close() }
