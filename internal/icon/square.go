package icon

import (
	"context"
	"image/color"
)

// Squares says what becomes of a master that is not square: empty bands beside it, its middle alone, or bands in a colour.
var Squares = []string{"bands", "crop", "fill"}

const (
	squareMost  = 2048 // px of a side that a squared master keeps
	squareLeast = 512  // px of a side that an SVG is drawn at
)

// Square makes a master square, as one of [Squares] says. A squared SVG is pixels from then on. The colour of filled bands is c, or the mean colour
// of the picture.
func (m *Master) Square(ctx context.Context, how string, c *color.NRGBA) error {
	if how == "" || how == Squares[0] || m.Width == m.Height {
		return nil
	}
	long, short := max(m.Width, m.Height), min(m.Width, m.Height)
	view, side := whole, long
	if how == "crop" {
		part := short / long
		view, side = rect{(1 - part) / 2, (1 - part) / 2, part}, short
	}
	n := int(min(side, squareMost))
	if m.svg != nil {
		n = max(n, squareLeast)
	}
	p, err := m.draw(ctx, n, view)
	if err != nil {
		return err
	}
	if how == "fill" {
		colour := m.mean
		if c != nil {
			colour = [3]float32{float32(c.R) / 255, float32(c.G) / 255, float32(c.B) / 255}
		}
		p.over(colour)
	}
	warnings := m.Warnings[:0:0]
	for _, w := range m.Warnings {
		if w != m.oblong() {
			warnings = append(warnings, w)
		}
	}
	*m = Master{Name: m.Name, Format: m.Format, Warnings: warnings, Width: float64(n), Height: float64(n)}
	m.levels = halves(p)
	return m.measure(ctx)
}
