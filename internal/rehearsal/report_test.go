package rehearsal

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/stage"
)

// TestTake puts what another stage saw in the place of what is not known, and nothing else.
func TestTake(t *testing.T) {
	r := &Report{Stage: "embedded", Pages: []PageResult{
		{URL: "/", Network: "offline", Outcome: Whole},
		{URL: "/map/", Network: "offline", Outcome: NotKnown},
		{URL: "/map/", Network: "slow", Outcome: NotKnown},
		{URL: "/tides/", Network: "offline", Outcome: NotKnown},
	}}
	r.sayUnknown()
	assert.Equal(t, []string{"/map/", "/tides/"}, r.NotKnown())
	require.Len(t, r.Findings, 1)
	assert.Equal(t, "2 pages are not known here: the scripts use what browsers have and this stage lacks", r.Findings[0].Message)

	r.Take(&Report{Stage: "chromium", Pages: []PageResult{{URL: "/", Network: "offline", Outcome: Lost}, {URL: "/map/", Network: "offline", Outcome: Blank}, {URL: "/map/", Network: "slow", Outcome: Whole}}})
	assert.Equal(t, []PageResult{
		{URL: "/", Network: "offline", Outcome: Whole},
		{URL: "/map/", Network: "offline", Outcome: Blank, Stage: "chromium"},
		{URL: "/map/", Network: "slow", Outcome: Whole, Stage: "chromium"},
		{URL: "/tides/", Network: "offline", Outcome: NotKnown},
	}, r.Pages)
	require.Len(t, r.Findings, 1)
	assert.Equal(t, "1 page is not known here: the scripts use what browsers have and this stage lacks", r.Findings[0].Message)

	r.Take(&Report{Stage: "chromium", Pages: []PageResult{{URL: "/tides/", Network: "offline", Outcome: Whole}}})
	assert.Empty(t, r.Findings)
}

// opener is a stage that can only open pages, and says what is to be told of each.
type opener struct {
	Stage
	open func(url string) (*stage.Load, error)
}

func (o opener) Open(url string) (*stage.Load, error) { return o.open(url) }
func (o opener) SetNetwork(stage.Network) error       { return nil }

// TestBaselineEnds has the pages that are waited for never be opened: nobody waits for ever.
func TestBaselineEnds(t *testing.T) {
	broken := errors.New("the engine ended")
	for name, c := range map[string]struct {
		open func(url string, cancel func()) (*stage.Load, error)
		want error
	}{
		"an error": {func(url string, _ func()) (*stage.Load, error) {
			if url == "/b/" {
				return nil, broken
			}
			return &stage.Load{URL: url, Status: 200, Text: url}, nil
		}, broken},
		"the end of the time": {func(url string, cancel func()) (*stage.Load, error) {
			if url == "/a/" {
				cancel()
			}
			return &stage.Load{URL: url, Status: 200, Text: url}, nil
		}, context.Canceled},
	} {
		t.Run(name, func(t *testing.T) {
			ctx, cancel := context.WithCancel(t.Context())
			defer cancel()
			b := newBaseline([]string{"/a/", "/b/", "/c/"})
			assert.ErrorIs(t, b.take(ctx, opener{open: func(url string) (*stage.Load, error) { return c.open(url, cancel) }}, []string{"/a/", "/b/", "/c/"}), c.want)
			assert.Equal(t, "/a/", b.of("/a/").Text)
			assert.Nil(t, b.of("/b/"))
			assert.Nil(t, b.of("/c/"))
		})
	}
}

// TestAgain compares pages that show less with what a visitor gets online who opened nothing else, and opens no page more often than it must.
func TestAgain(t *testing.T) {
	texts := func(opened []string, url string) string { // "/list/" shows what was opened before
		if url != "/list/" {
			return "the page " + url
		}
		text := "opened:"
		for _, o := range opened {
			text += " " + o
		}
		return text
	}
	var rounds [][]string
	fresh := func() (Stage, func(), error) {
		rounds = append(rounds, nil)
		at := len(rounds) - 1
		return opener{open: func(url string) (*stage.Load, error) {
			text := texts(rounds[at], url)
			rounds[at] = append(rounds[at], url)
			return &stage.Load{URL: url, Status: 200, Text: text, Ran: true}, nil
		}}, func() {}, nil
	}
	pages := []string{"/a/", "/list/", "/z/"}
	e := expected{online: newBaseline(pages), seen: map[string]map[string]bool{}}
	st, _, _ := fresh()
	require.NoError(t, e.online.take(context.Background(), st, pages))
	rounds = nil
	parts := make([]part, 1)
	for url, text := range map[string]string{"/a/": "", "/list/": "opened:", "/z/": "the page"} {
		e.seen[url] = map[string]bool{"": true}
		parts[0].Pages = append(parts[0].Pages, e.result(url, stage.Offline, &stage.Load{URL: url, Status: 200, Text: text, Ran: true}))
	}
	require.NoError(t, e.online.again(context.Background(), parts, fresh))
	got := map[string]Outcome{}
	for _, p := range parts[0].Pages {
		got[p.URL] = p.Outcome
		assert.Nil(t, p.again)
	}
	assert.Equal(t, map[string]Outcome{"/a/": Blank, "/list/": Whole, "/z/": Partial}, got)
	assert.Equal(t, [][]string{{"/z/", "/list/", "/a/"}, {"/list/"}}, rounds)
}
