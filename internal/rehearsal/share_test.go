package rehearsal

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/stage"
)

func TestParseShare(t *testing.T) {
	s, err := ParseShare("2/5")
	require.NoError(t, err)
	assert.Equal(t, &Share{Index: 2, Of: 5}, s)
	assert.Equal(t, []string{"b"}, s.of([]string{"a", "b", "c"}))
	for _, wrong := range []string{"", "1", "0/2", "3/2", "-1/2", "1/0", "1/2x", "1/2/3", "a/b", "1/99999"} {
		_, err := ParseShare(wrong)
		assert.ErrorContains(t, err, "is no part", wrong)
	}
}

func TestMerge(t *testing.T) {
	part := func(index, of int, change func(*Share)) *Report {
		s := &Share{Index: index, Of: of, Site: "x", Pages: 3, Networks: []string{"offline"}}
		change(s)
		var pages []PageResult
		for _, u := range s.of([]string{"/", "/a", "/b"}) {
			pages = append(pages, PageResult{URL: u, Network: "offline", Outcome: Whole})
		}
		return &Report{Share: s, Pages: pages, Findings: []Finding{{Kind: "console", Message: "said by all"}, {Kind: "not-known", Message: "counted"}}}
	}
	as := func(*Share) {}
	names := []string{"one", "two", "three"}
	m, err := Merge(names[:2], []*Report{part(2, 2, as), part(1, 2, as)})
	require.NoError(t, err)
	parts, err := m.states([]string{"/", "/a", "/b"}, []stage.Network{stage.Offline})
	require.NoError(t, err)
	var urls []string
	for _, p := range parts[0].Pages {
		urls = append(urls, p.URL)
	}
	assert.Equal(t, []string{"/", "/a", "/b"}, urls, "in the order of one run")
	r := &Report{}
	m.join(r)
	assert.Equal(t, []Finding{{Kind: "console", Message: "said by all"}}, r.Findings, "once, and without what is said anew")
	_, err = m.states([]string{"/new"}, []stage.Network{stage.Offline})
	assert.ErrorContains(t, err, "nothing of /new")
	assert.NoError(t, m.fits(*part(1, 2, as).Share))
	assert.ErrorContains(t, m.fits(*part(1, 2, func(s *Share) { s.Site = "y" }).Share), "another site")
	assert.ErrorContains(t, m.fits(*part(1, 2, func(s *Share) { s.Scripts = true }).Share), "other options")

	for says, reports := range map[string][]*Report{
		"of 3 parts 2/3, 3/3 are missing":   {part(1, 3, as)},
		"of 2 parts 2/2 is missing":         {part(1, 2, as)},
		"one and two are both part 1 of 2":  {part(1, 2, as), part(1, 2, as)},
		"two is one of 3 parts, and one":    {part(1, 2, as), part(2, 3, as)},
		"about different sites":             {part(1, 2, as), part(2, 2, func(s *Share) { s.Site = "y" })},
		"made with different options":       {part(1, 2, as), part(2, 2, func(s *Share) { s.Networks = nil })},
		"one: it is no part of a rehearsal": {{}},
		"no file is named":                  {},
	} {
		_, err := Merge(names[:len(reports)], reports)
		assert.ErrorContains(t, err, says)
	}
}
