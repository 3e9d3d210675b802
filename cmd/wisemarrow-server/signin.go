package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"

	"wisemarrow/people"
	"wisemarrow/store"
	"wisemarrow/web"

	"github.com/alexedwards/scs/postgresstore"
	"github.com/spf13/cobra"
)

// signInFlags are how people come in.
type signInFlags struct {
	signIn, behindTLS bool
	cert, key         string
	header            string
	proxies           []string
}

func (f *signInFlags) add(c *cobra.Command) {
	c.Flags().BoolVar(&f.signIn, "sign-in", false, "require sign-in on loopback too (always required elsewhere)")
	c.Flags().StringVar(&f.cert, "tls-cert", "", "certificate, to serve over TLS")
	c.Flags().StringVar(&f.key, "tls-key", "", "its key")
	c.Flags().BoolVar(&f.behindTLS, "behind-tls", false, "a proxy before this server speaks TLS with the browsers")
	c.Flags().StringVar(&f.header, "person-header", "", "header in which a proxy names the person whom it has signed in")
	c.Flags().StringSliceVar(&f.proxies, "proxy", nil, "address or network of a proxy whose headers are believed")
}

// signInFor decides who may come in at an address: everybody on loopback, else people who
// sign in, over TLS. It fails when nobody could, or passwords would go over the wire
// in the clear.
func (f *signInFlags) signInFor(ctx context.Context, addr string, s *store.Store) (*web.SignIn, error) {
	secure := f.cert != "" || f.behindTLS
	if (f.cert == "") != (f.key == "") {
		return nil, errors.New("--tls-cert and --tls-key go together")
	}
	if f.header != "" && len(f.proxies) == 0 {
		return nil, errors.New("--person-header is believed only from a --proxy: name its address")
	}
	local := isLoopback(addr)
	if local && !f.signIn && f.header == "" {
		return nil, nil
	}
	if !local && !secure {
		return nil, fmt.Errorf(
			"%s can be reached from other machines, and passwords would go there in the clear: give --tls-cert and --tls-key, or --behind-tls if a proxy speaks TLS",
			addr,
		)
	}
	d := &web.SignIn{People: s, Secure: secure, Header: f.header}
	for _, p := range f.proxies {
		net, err := netip.ParsePrefix(p)
		if err != nil {
			at, bad := netip.ParseAddr(p)
			if bad != nil {
				return nil, fmt.Errorf("--proxy %s is neither an address nor a network: %w", p, err)
			}
			net = netip.PrefixFrom(at, at.BitLen())
		}
		d.Proxies = append(d.Proxies, net)
	}
	all, err := s.People(ctx)
	if err != nil {
		return nil, err
	}
	leads := 0
	for _, p := range all {
		if p.Role == people.Lead {
			leads++
		}
	}
	if leads == 0 {
		return nil, errors.New("no one could sign in: create the first lead with `wisemarrow-server people add NAME --role lead`")
	}
	pool, err := s.SQL()
	if err != nil {
		return nil, err
	}
	d.Sessions = postgresstore.New(pool)
	return d, nil
}

// isLoopback reports whether an address to listen on is reached from this machine alone.
func isLoopback(addr string) bool {
	host, _, err := net.SplitHostPort(addr)
	if err != nil || host == "" {
		return false
	}
	at, err := netip.ParseAddr(host)
	return host == "localhost" || err == nil && at.IsLoopback()
}
