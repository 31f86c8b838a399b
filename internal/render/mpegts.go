package render

import (
	"errors"
	"fmt"
)

// An MPEG transport stream is packets of 188 bytes that begin with 0x47
// (ISO/IEC 13818-1, 2.4.3.2). Its times are 33 bits of a 90 kHz clock.
const (
	tsPacket = 188
	tsSync   = 0x47

	// TicksPerSecond is the clock of transport streams.
	TicksPerSecond = 90000

	tsTimes = 1 << 33
)

var errNoStream = errors.New("not a whole MPEG transport stream")

// FirstTime is the first presentation time in a transport stream, in ticks.
func FirstTime(stream []byte) (int64, error) {
	first := int64(-1)
	err := eachTime(stream, func(field []byte, clock bool) {
		if first < 0 && !clock {
			first = timestamp(field)
		}
	})
	if err == nil && first < 0 {
		err = fmt.Errorf("%w: it has no times", errNoStream)
	}
	return first, err
}

// ShiftTimes adds ticks to all times of a transport stream, in place; they go
// round as the format has it.
func ShiftTimes(stream []byte, ticks int64) error {
	return eachTime(stream, func(field []byte, clock bool) {
		if clock {
			setClock(field, clockBase(field)+ticks)
		} else {
			setTimestamp(field, timestamp(field)+ticks)
		}
	})
}

// eachTime calls f with every program clock reference (clock) and every
// presentation and decoding time stamp of a stream.
func eachTime(stream []byte, f func(field []byte, clock bool)) error {
	if len(stream)%tsPacket != 0 {
		return fmt.Errorf("%w: it has %d bytes", errNoStream, len(stream))
	}
	for at := 0; at < len(stream); at += tsPacket {
		p := stream[at : at+tsPacket]
		if p[0] != tsSync {
			return fmt.Errorf("%w: no packet begins at byte %d", errNoStream, at)
		}
		begins, adapted, carries := p[1]&0x40 != 0, p[3]&0x20 != 0, p[3]&0x10 != 0
		payload := p[4:]
		if adapted { // 2.4.3.4: length, flags, clock reference
			n := int(p[4])
			if n > len(p)-5 {
				return fmt.Errorf("%w: the packet at byte %d is damaged", errNoStream, at)
			}
			if n >= 7 && p[5]&0x10 != 0 {
				f(p[6:12], true)
			}
			payload = p[5+n:]
		}
		if !begins || !carries {
			continue
		}
		// 2.4.3.6: a packet of an elementary stream of pictures or sound.
		if len(payload) < 9 || payload[0] != 0 || payload[1] != 0 || payload[2] != 1 || payload[3] < 0xc0 ||
			payload[3] > 0xef {
			continue
		}
		has := payload[7] >> 6
		if has&2 != 0 && len(payload) >= 14 {
			f(payload[9:14], false)
		}
		if has == 3 && len(payload) >= 19 {
			f(payload[14:19], false)
		}
	}
	return nil
}

// timestamp reads the 33 bits of a time stamp: 3, 15 and 15, each followed by
// a marker bit.
func timestamp(b []byte) int64 {
	return int64(b[0]>>1&7)<<30 | int64(b[1])<<22 | int64(b[2]>>1)<<15 | int64(b[3])<<7 | int64(b[4]>>1)
}

func setTimestamp(b []byte, t int64) {
	t = (t%tsTimes + tsTimes) % tsTimes
	b[0] = b[0]&0xf1 | byte(t>>29)&0x0e
	b[1] = byte(t >> 22)
	b[2] = byte(t>>14)&0xfe | 1
	b[3] = byte(t >> 7)
	b[4] = byte(t<<1)&0xfe | 1
}

// clockBase reads the 33 bits of a clock reference's base.
func clockBase(b []byte) int64 {
	return int64(b[0])<<25 | int64(b[1])<<17 | int64(b[2])<<9 | int64(b[3])<<1 | int64(b[4]>>7)
}

func setClock(b []byte, t int64) {
	t = (t%tsTimes + tsTimes) % tsTimes
	b[0], b[1], b[2], b[3] = byte(t>>25), byte(t>>17), byte(t>>9), byte(t>>1)
	b[4] = b[4]&0x7f | byte(t<<7)
}
