package stage

import (
	"fmt"
	"strconv"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/cespare/xxhash/v2"
)

// Ledger is what the scripts of a site have cost, in all browsers that share it. A script that had to be ended again and again is not run once more: what
// it does is known, and each page that it serves would wait for it. It may be used by several goroutines.
type Ledger struct {
	mu       sync.Mutex
	accounts map[string]*account
}

// NewLedger gives one in which nothing stands.
func NewLedger() *Ledger { return &Ledger{accounts: map[string]*account{}} }

// account is of one script.
type account struct {
	ledger *Ledger
	ended  int    // times
	slow   int    // loads of a page that took most of the time that one callback may take
	why    string // it was ended last
}

// of gives the account of a script, whose bytes count: the next release of it is another one.
func (l *Ledger) of(url, source string) *account {
	key := url + "\n" + strconv.FormatUint(xxhash.Sum64String(source), 36)
	l.mu.Lock()
	defer l.mu.Unlock()
	a := l.accounts[key]
	if a == nil {
		a = &account{ledger: l}
		l.accounts[key] = a
	}
	return a
}

// patience is how often a script is ended before it is not run any more.
const patience = 2

// end notes that the script had to be ended; for good when there is no use in trying again.
func (a *account) end(why string, forGood bool) {
	if a == nil {
		return
	}
	a.ledger.mu.Lock()
	defer a.ledger.mu.Unlock()
	a.ended++
	if forGood {
		a.ended += patience
	}
	a.why = why
}

// load notes what one load of a page has taken. One that is ended just not, again and again, keeps whoever waits as long as one that is.
func (a *account) load(took, limit time.Duration) {
	if a == nil || took < limit/2 {
		return
	}
	a.ledger.mu.Lock()
	defer a.ledger.mu.Unlock()
	if a.slow++; a.slow > patience && a.ended < patience {
		a.ended, a.why = patience, fmt.Sprintf("each of its loads takes more than %s", limit/2)
	}
}

// refused says why the script is not run any more, "" when it is.
func (a *account) refused() string {
	if a == nil {
		return ""
	}
	a.ledger.mu.Lock()
	defer a.ledger.mu.Unlock()
	if a.ended < patience {
		return ""
	}
	return a.why
}

// actSteps is how much longer than one callback all callbacks of one act of the visitor may take together.
const actSteps = 2

// cost is what a realm has taken since the visitor did something.
type cost struct {
	of  *realm
	act time.Duration
}

// costOf gives the cost of a realm, which grows.
func (g *guard) costOf(r *realm) *cost {
	g.mu.Lock()
	defer g.mu.Unlock()
	c := g.costs[r]
	if c == nil {
		c = &cost{of: r}
		if g.costs == nil {
			g.costs = map[*realm]*cost{}
		}
		g.costs[r] = c
	}
	return c
}

// newAct begins to count anew.
func (g *guard) newAct() {
	g.mu.Lock()
	g.act, g.costs, g.busiest = 0, nil, nil
	g.mu.Unlock()
}

// blame ends for good the realm that took most of an act of the visitor: others that were at work are not to blame. A page with a share of it comes before the
// worker, which may have worked for its requests only; if not, it takes too long again without the page.
func (b *Browser) blame(why string) {
	b.guard.mu.Lock()
	busiest := b.guard.busiest
	for r, c := range b.guard.costs {
		if _, page := r.in.(*document); page && busiest != nil && c.act >= busiest.act/4 {
			if _, already := busiest.of.in.(*document); !already || c.act > busiest.act {
				busiest = c
			}
		}
	}
	b.guard.mu.Unlock()
	b.guard.newAct()
	if busiest == nil || busiest.of.in == nil {
		return
	}
	r := busiest.of
	b.remark(Remark{Kind: "limit", Message: r.what + " was ended: " + why, File: b.Relative(r.url)})
	r.in.account("").end(why, true)
	r.in.stop()
}

func (g *guard) tooLong() string {
	return fmt.Sprintf("kept the browser at work for more than %s", actSteps*g.limits.Step)
}

const (
	maxText  = 4 << 10  // bytes of a message that is kept
	maxStack = 64 << 10 // bytes of a stack that is read
)

// clipped shortens a text that a site gives, which may be as long as it likes.
func clipped(s string) string {
	if len(s) <= maxText {
		return s
	}
	end := maxText
	for end > 0 && !utf8.RuneStart(s[end]) {
		end--
	}
	return fmt.Sprintf("%s… (%d bytes more)", s[:end], len(s)-end)
}
