package media

import (
	"bytes"
	"context"
	"encoding/binary"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/media/vips"
)

// jpegOf is a JPEG of a size.
func jpegOf(t *testing.T, size string) []byte {
	path := filepath.Join(t.TempDir(), "a.jpg")
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=s="+size, "-frames:v",
		"1", path).CombinedOutput()
	require.NoError(t, err, string(out))
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	return b
}

// raw is a TIFF as cameras write raw files: a small picture for the camera's
// screen in the first directory, a large one and the sensor's values in others
// below it.
func raw(order binary.AppendByteOrder, small, large []byte, orientation uint16) []byte {
	var b []byte
	if order == binary.LittleEndian {
		b = append(b, "II*\x00"...)
	} else {
		b = append(b, "MM\x00*"...)
	}
	b = order.AppendUint32(b, 0) // where the first directory is, filled in below
	put := func(data []byte) (at uint32) {
		at = uint32(len(b))
		b = append(b, data...)
		if len(b)%2 == 1 {
			b = append(b, 0)
		}
		return at
	}
	type entry struct {
		tag, kind uint16
		count     uint32
		value     uint32
	}
	directory := func(entries ...entry) (at uint32) {
		at = uint32(len(b))
		b = order.AppendUint16(b, uint16(len(entries)))
		for _, e := range entries {
			b = order.AppendUint16(b, e.tag)
			b = order.AppendUint16(b, e.kind)
			b = order.AppendUint32(b, e.count)
			if e.kind == 3 {
				b = order.AppendUint16(b, uint16(e.value))
				b = order.AppendUint16(b, 0)
			} else {
				b = order.AppendUint32(b, e.value)
			}
		}
		b = order.AppendUint32(b, 0)
		return at
	}
	smallAt, largeAt := put(small), put(large)
	model, date := put([]byte("Saltmere Four\x00")), put([]byte("2026:09:12 10:20:30\x00"))
	// The sensor's values are JPEG too, of the lossless kind.
	lossless := put(append([]byte{0xff, 0xd8, 0xff, 0xc3, 0, 17, 8, 0x40, 0, 0x60, 0}, make([]byte, 200)...))
	preview := directory(entry{
		tag:   tagCompression,
		kind:  3,
		count: 1,
		value: 6,
	}, entry{
		tag:   tagJPEG,
		kind:  4,
		count: 1,
		value: largeAt,
	}, entry{tag: tagJPEGLength, kind: 4, count: 1, value: uint32(len(large))})
	sensor := directory(entry{
		tag:   tagCompression,
		kind:  3,
		count: 1,
		value: 7,
	}, entry{
		tag:   tagStrip,
		kind:  4,
		count: 1,
		value: lossless,
	}, entry{tag: tagStripLength, kind: 4, count: 1, value: 211})
	below := uint32(len(b))
	b = order.AppendUint32(order.AppendUint32(b, preview), sensor)
	exif := directory(entry{tag: tagTaken, kind: 2, count: 20, value: date})
	first := directory(
		entry{
			tag:   tagModel,
			kind:  2,
			count: 14,
			value: model,
		}, entry{tag: tagOrientation, kind: 3, count: 1, value: uint32(orientation)},
		entry{
			tag:   tagSubIFDs,
			kind:  4,
			count: 2,
			value: below,
		}, entry{
			tag:   tagJPEG,
			kind:  4,
			count: 1,
			value: smallAt,
		}, entry{tag: tagJPEGLength, kind: 4, count: 1, value: uint32(len(small))},
		entry{tag: tagEXIF, kind: 4, count: 1, value: exif})
	var at [4]byte
	order.(binary.ByteOrder).PutUint32(at[:], first)
	copy(b[4:], at[:])
	return b
}

// The largest picture in a raw file stands for it, upright, with its time and
// camera, in either byte order; the sensor's values are not taken for a picture.
func TestRawPreview(t *testing.T) {
	require.NoError(t, Startup())
	small, large := jpegOf(t, "160x120"), jpegOf(t, "1800x1200")
	for _, order := range []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian} {
		b := raw(order, small, large, 6)
		jpg, err := RawPreview(bytes.NewReader(b), int64(len(b)))
		require.NoError(t, err)
		path := filepath.Join(t.TempDir(), "p.jpg")
		require.NoError(t, os.WriteFile(path, jpg, 0o644))
		l, err := (*Readers)(nil).Look(context.Background(), path, "a.nef", 480)
		require.NoError(t, err)
		assert.Equal(t, []int{1200, 1800}, []int{l.Facts.W, l.Facts.H}, "upright")
		assert.Equal(t, "Saltmere Four", l.Facts.Camera)
		assert.Equal(t, "2026-09-12 10:20:30", l.Facts.Captured.Format("2006-01-02 15:04:05"))
		_, err = vips.ReadHeader(path)
		require.NoError(t, err)
		for cut := 8; cut < len(b); cut += len(b) / 50 {
			_, err := RawPreview(bytes.NewReader(b[:cut]), int64(cut)) // no panic, whatever is missing
			_ = err
		}
	}
	only := raw(binary.LittleEndian, small, small, 1)
	_, err := RawPreview(bytes.NewReader(only), int64(len(only)))
	var refused *Refused
	require.ErrorAs(t, err, &refused, "nothing but what the camera's screen shows")
	assert.True(t, IsRaw("IMG_1.NEF"))
	assert.False(t, IsRaw("IMG_1.jpg"))
}

func FuzzRawPreview(f *testing.F) {
	f.Add(raw(binary.LittleEndian, []byte{0xff, 0xd8}, []byte{0xff, 0xd8}, 1))
	f.Add(append([]byte("FUJIFILMCCD-RAW"), make([]byte, 100)...))
	f.Fuzz(func(t *testing.T, b []byte) {
		if jpg, err := RawPreview(bytes.NewReader(b), int64(len(b))); err == nil &&
			!bytes.HasPrefix(jpg, []byte{0xff, 0xd8}) {
			t.Fatal("no JPEG")
		}
	})
}
