package rehearsal

import (
	"context"

	"tachyform.dev/tachyform/internal/stage"
)

// Led is an address that the server leads elsewhere, and where a visitor comes to whom the worker answers.
type Led struct {
	URL        string `json:"url"`
	To         string `json:"to"`    // where a visitor without a worker comes
	Shown      string `json:"shown"` // the address that is shown to one with the worker
	AnsweredBy string `json:"answered_by"`
}

// maxLed bounds the addresses that are tried.
const maxLed = 20

// led opens each address online, without a worker and with one.
func led(ctx context.Context, fresh func() *Embedded, o Options) ([]Led, error) {
	with := fresh()
	defer with.Close()
	for _, v := range o.Visits {
		if _, err := with.Open(v); err != nil {
			return nil, err
		}
		if err := with.Settle(); err != nil {
			return nil, err
		}
	}
	var out []Led
	for _, u := range o.Led[:min(maxLed, len(o.Led))] {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		without := fresh()
		base, err := without.Open(u)
		without.Close()
		if err != nil {
			return nil, err
		}
		var l *stage.Load
		if l, err = with.Open(u); err != nil {
			return nil, err
		}
		out = append(out, Led{u, base.URL, l.URL, string(l.AnsweredBy)})
	}
	return out, nil
}
