package survey

import "tachyform.dev/tachyform/internal/platform"

// Asked is something that a script asks of a device.
type Asked struct {
	ID           string // of [platform.Features]
	File         string
	Line, Column int
}

// Device is something that scripts ask of a device, and who has it.
type Device struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	File    string   `json:"file"`
	Line    int      `json:"line"`
	Column  int      `json:"column"`
	Lacking []string `json:"lacking"` // ids of platforms whose browsers do not have it
	Tap     bool     `json:"tap"`     // only while somebody taps or clicks
	App     bool     `json:"app"`     // on iPhones only for an app on the home screen
}

// devices says who has what scripts ask for.
func (inv *Inventory) devices() []Device {
	out := []Device{}
	for _, a := range inv.Features {
		f, ok := platform.FeatureOf(a.ID)
		if !ok {
			continue
		}
		d := Device{f.ID, f.Name, a.File, a.Line, a.Column, []string{}, f.Tap, f.App}
		for _, p := range platform.All {
			if p.Has(f.ID) == "" && p.Installs {
				d.Lacking = append(d.Lacking, p.ID)
			}
		}
		out = append(out, d)
	}
	return out
}
