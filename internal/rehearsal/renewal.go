package rehearsal

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// Renewal is a file of data that became another on the server, while nothing was released.
type Renewal struct {
	URL    string `json:"url"`
	Visit  int    `json:"visit"`            // the first of four visits, a day later, at which a script gets the new bytes; 0 for none
	Source string `json:"source,omitempty"` // what gave the old ones at the last of them: "store NAME", "worker" or "network"
}

// maxRenewed bounds the files that are imagined to change, and the addresses that forms are posted to.
const maxRenewed = 20

// renewals lets data change on the server and gives when a visitor's scripts see it. There are none when no worker is active.
func renewals(ctx context.Context, start func() *Embedded, server *site.Server, r *Report, o Options) ([]Renewal, error) {
	if r.Worker.State != "activated" && r.Worker.State != "waiting" {
		return nil, nil
	}
	changed, want := map[string][]byte{}, map[string]string{}
	var out []Renewal
	for _, u := range o.Fetches {
		address, _, _ := strings.Cut(u, "?")
		path, _ := server.Find(address)
		if path == "" || changed[path] != nil || server.Site.HasDigest(path) || len(out) == maxRenewed {
			continue
		}
		data, err := server.Site.Read(path)
		if err != nil {
			continue
		}
		changed[path] = append(slices.Clone(data), '\n')
		sum := sha256.Sum256(changed[path])
		want[u] = hex.EncodeToString(sum[:])
		out = append(out, Renewal{URL: u})
	}
	if len(out) == 0 {
		return nil, nil
	}
	st := start()
	defer st.Close()
	visit := func(number int) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		if _, err := st.Open(o.Visits[0]); err != nil {
			return err
		}
		for i := range out {
			a, err := st.Fetch(out[i].URL)
			if err != nil {
				return err
			}
			switch {
			case a.SHA256 != want[out[i].URL]:
				if out[i].Source = string(a.By); a.Source != "" {
					out[i].Source = a.Source
				}
			case out[i].Visit == 0 && number > 0:
				out[i].Visit = number
			}
		}
		return st.Settle()
	}
	for range 2 {
		if err := visit(0); err != nil {
			return nil, err
		}
	}
	st.Release(server.With(changed))
	st.Advance(24 * time.Hour)
	for i := range 4 {
		if err := visit(i + 1); err != nil {
			return nil, fmt.Errorf("after data changed: %w", err)
		}
	}
	return out, nil
}

// written is what a visitor writes into a form.
var written = &entrance.Form{Fields: [][2]string{{"text", "Two seats to Orran, 9:40"}}, Enctype: "application/x-www-form-urlencoded"}

// forms posts to each address that forms of pages post to, without a network, and waits for one.
func forms(ctx context.Context, begin from, o Options, e expected) ([]EntranceResult, error) {
	var out []EntranceResult
	for _, u := range o.Forms[:min(maxRenewed, len(o.Forms))] {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		got, err := share(begin, entrance.Entrance{Kind: "form", URL: u, Form: written}, stage.Offline, o, e)
		if err != nil {
			return nil, err
		}
		if got != nil {
			out = append(out, *got)
		}
	}
	return out, nil
}
