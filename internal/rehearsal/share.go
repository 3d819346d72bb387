package rehearsal

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/stage"
)

// Share says which part of a site's pages a report is about, when several machines open a part each.
type Share struct {
	Index    int      `json:"index"` // from 1
	Of       int      `json:"of"`
	Site     string   `json:"site"`     // digest of the site's files and of how its server answers
	Pages    int      `json:"pages"`    // of the whole site
	Networks []string `json:"networks"` // in which they were opened
	Scripts  bool     `json:"scripts"`  // of the pages ran
}

// ParseShare reads "I/N": the I-th of N parts, from 1.
func ParseShare(text string) (*Share, error) {
	var s Share
	var rest string
	if n, _ := fmt.Sscanf(text, "%d/%d%s", &s.Index, &s.Of, &rest); n != 2 || s.Of < 1 || s.Index < 1 || s.Index > s.Of || s.Of > 10_000 {
		return nil, fmt.Errorf("%q is no part: I/N is the I-th of N, such as 1/4", text)
	}
	return &s, nil
}

// of gives the pages of a share: every N-th, so that each share has pages of each folder.
func (s *Share) of(pages []string) []string {
	var out []string
	for i, p := range pages {
		if i%s.Of == s.Index-1 {
			out = append(out, p)
		}
	}
	return out
}

// Merged is what all shares of a site saw.
type Merged struct {
	Share
	pages    map[[2]string]PageResult // by URL and network state
	findings []Finding
}

// Merge puts the shares of a site together. Names are those of their files, for errors: shares that are missing, given twice or of another site.
func Merge(names []string, reports []*Report) (*Merged, error) {
	if len(reports) == 0 {
		return nil, errors.New("no file is named")
	}
	m := &Merged{pages: map[[2]string]PageResult{}}
	by := map[int]string{}
	for i, r := range reports {
		s := r.Share
		if s == nil {
			return nil, fmt.Errorf("%s: it is no part of a rehearsal: audit --shard I/N writes them", names[i])
		}
		if i == 0 {
			m.Share = *s
		}
		switch {
		case s.Of != m.Of:
			return nil, fmt.Errorf("%s is one of %d parts, and %s one of %d: all have to be of one number", names[i], s.Of, names[0], m.Of)
		case s.Site != m.Site:
			return nil, fmt.Errorf("%s and %s are about different sites, or the configuration says something else of the server", names[0], names[i])
		case !slices.Equal(s.Networks, m.Networks) || s.Scripts != m.Scripts || s.Pages != m.Pages:
			return nil, fmt.Errorf("%s and %s were made with different options", names[0], names[i])
		case by[s.Index] != "":
			return nil, fmt.Errorf("%s and %s are both part %d of %d", by[s.Index], names[i], s.Index, s.Of)
		}
		by[s.Index] = names[i]
		for _, p := range r.Pages {
			m.pages[[2]string{p.URL, p.Network}] = p
		}
		m.findings = append(m.findings, r.Findings...)
	}
	var missing []string
	for i := 1; i <= m.Of; i++ {
		if by[i] == "" {
			missing = append(missing, fmt.Sprintf("%d/%d", i, m.Of))
		}
	}
	if len(missing) > 0 {
		return nil, fmt.Errorf("of %d parts %s %s missing", m.Of, strings.Join(missing, ", "), map[bool]string{true: "is", false: "are"}[len(missing) == 1])
	}
	return m, nil
}

// ErrParts is what is wrong when parts are not of the site that they are merged for, opened like this.
var ErrParts = errors.New("the parts do not fit")

// fits says what is wrong when the shares are not of this site, opened like this.
func (m *Merged) fits(s Share) error {
	switch {
	case s.Site != m.Site:
		return fmt.Errorf("%w: they are of another site than this one, or the configuration says something else of the server", ErrParts)
	case !slices.Equal(s.Networks, m.Networks) || s.Scripts != m.Scripts || s.Pages != m.Pages:
		return fmt.Errorf("%w: they were made with other options than these; --scripts, --base, --sample and the configuration have to be the same", ErrParts)
	}
	return nil
}

// states takes what the shares saw, in the order in which one run has it.
func (m *Merged) states(pages []string, networks []stage.Network) ([]part, error) {
	parts := make([]part, len(networks))
	for i, n := range networks {
		for _, u := range pages {
			p, ok := m.pages[[2]string{u, string(n)}]
			if !ok {
				return nil, fmt.Errorf("%w: they have nothing of %s on a network that is %s", ErrParts, u, n)
			}
			parts[i].Pages = append(parts[i].Pages, p)
		}
		parts[i].standIns(n)
	}
	return parts, nil
}

// join adds what the shares noticed while they opened pages. What one run says once of all pages is said by each share of its own, and is left out: it is said anew.
func (m *Merged) join(r *Report) {
	seen := map[Finding]bool{}
	for _, f := range r.Findings {
		seen[f] = true
	}
	for _, f := range m.findings {
		if slices.Contains([]string{"unknown-origin", "not-known", "stand-in", "routes", "scripts"}, f.Kind) || seen[f] {
			continue
		}
		seen[f] = true
		r.Findings = append(r.Findings, f)
	}
}
