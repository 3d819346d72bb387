package stage

import (
	"fmt"
	"strconv"
	"sync"
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

// newAct begins to count anew.
func (g *guard) newAct() {
	g.mu.Lock()
	g.act = 0
	g.mu.Unlock()
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
