package cli

import (
	"errors"
	"fmt"
	"net/url"

	"github.com/spf13/pflag"

	"tachyform.dev/tachyform/internal/crawl"
)

// reaching is how a live address is reached that does not answer everybody.
type reaching struct{ crawl.AccessOptions }

func (r *reaching) flags(f *pflag.FlagSet) {
	f.StringArrayVar(&r.Headers, "header", nil, "`header` for requests to a live address, such as \"Authorization: Bearer …\"; repeatable")
	f.StringVar(&r.User, "user", "", "`name:password` for a live address")
	f.StringVar(&r.CA, "ca", "", "`file` of certificates (PEM) that are trusted for a live address, too")
	f.BoolVar(&r.Insecure, "insecure", false, "take any certificate from a live address")
	f.StringVar(&r.Cookies, "cookies", "", "`file` of cookies for a live address, as browsers and command-line clients write it")
}

// errFolder says that something is for live addresses only.
var errFolder = errors.New("--header, --user, --ca, --insecure and --cookies are for a live address")

// folder gives an error when something was said about how to reach what is a folder.
func (r *reaching) folder() error {
	if len(r.Headers) > 0 || r.User != "" || r.CA != "" || r.Insecure || r.Cookies != "" {
		return usage(errFolder)
	}
	return nil
}

// access reads how an address is reached.
func (a *app) access(address string, r *reaching) (*crawl.Access, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, usage(err)
	}
	if r.Insecure && !a.quiet {
		fmt.Fprintf(a.err, "--insecure: the certificate of %s is not looked at; browsers look, and neither run workers nor install what has a wrong one\n", u.Host)
	}
	x, err := crawl.NewAccess(u.Scheme+"://"+u.Host, r.AccessOptions)
	if err != nil {
		return nil, usage(err)
	}
	return x, nil
}
