package doc

import (
	"bytes"
	"encoding/json"
	"fmt"

	"nelko/internal/core/timecode"
)

// version is the format of a document.
func version(b []byte) (int, error) {
	var head struct {
		Version int `json:"version"`
	}
	if err := json.Unmarshal(b, &head); err != nil {
		return 0, fmt.Errorf("slideshow document: %w", err)
	}
	if head.Version < 1 || head.Version > Version {
		return 0, fmt.Errorf("slideshow document: version %d; this program reads 1 to %d", head.Version,
			Version)
	}
	return head.Version, nil
}

// strict decodes JSON and refuses fields that are not known.
func strict(b []byte, to any) error {
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	if err := d.Decode(to); err != nil {
		return fmt.Errorf("slideshow document: %w", err)
	}
	return nil
}

// Parse reads and validates a document of the present version; earlier ones
// are read by Convert. Details are empty and the rate is 30 until they are
// told.
func Parse(b []byte) (Slideshow, error) {
	v, err := version(b)
	if err != nil {
		return Slideshow{}, err
	}
	if v < Version {
		return Slideshow{}, fmt.Errorf("slideshow document: version %d must be converted first", v)
	}
	s := Slideshow{Rate: timecode.R30, Details: map[string]string{}}
	if err := strict(b, &s); err != nil {
		return Slideshow{}, err
	}
	return s, s.checked()
}

func (s Slideshow) checked() error {
	if err := s.Validate(); err != nil {
		return fmt.Errorf("slideshow document: %w", err)
	}
	return nil
}
