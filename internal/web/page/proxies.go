package page

import (
	"net/http"
	"net/netip"
	"strings"
)

// ParseProxies reads addresses and networks, separated by commas, of proxies
// that say truly whom they ask for.
func ParseProxies(list string) (out []netip.Prefix, err error) {
	for _, s := range strings.FieldsFunc(list, func(r rune) bool { return r == ',' || r == ' ' }) {
		p, err := netip.ParsePrefix(s)
		if err != nil {
			a, err := netip.ParseAddr(s)
			if err != nil {
				return nil, err
			}
			p = netip.PrefixFrom(a, a.BitLen())
		}
		out = append(out, p.Masked())
	}
	return out, nil
}

// forwarded has requests come from whom a trusted proxy says it asks for: the
// last address of X-Forwarded-For that is no trusted proxy's. What others say
// in it counts for nothing.
func forwarded(proxies []netip.Prefix) func(http.Handler) http.Handler {
	trusted := func(s string) (netip.Addr, bool) {
		a, err := netip.ParseAddr(strings.TrimSpace(s))
		if err != nil {
			return a, false
		}
		a = a.Unmap()
		for _, p := range proxies {
			if p.Contains(a) {
				return a, true
			}
		}
		return a, false
	}
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			peer, err := netip.ParseAddrPort(r.RemoteAddr)
			if _, ok := trusted(peer.Addr().String()); err == nil && ok {
				said := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
				for i := len(said) - 1; i >= 0; i-- {
					a, ok := trusted(said[i])
					if !a.IsValid() {
						break
					}
					r.RemoteAddr = netip.AddrPortFrom(a, 0).String()
					if !ok {
						break
					}
				}
			}
			next.ServeHTTP(w, r)
		})
	}
}
