package icon

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"fmt"
	"io"
	"strings"

	"github.com/bep/imagemeta"
)

// orientation gives the EXIF orientation of a raster master, 1 to 8; 1 when there is none.
func orientation(format string, data []byte) int {
	formats := map[string]imagemeta.ImageFormat{"jpeg": imagemeta.JPEG, "webp": imagemeta.WebP, "png": imagemeta.PNG}
	f, ok := formats[format]
	if !ok {
		return 1
	}
	out := 1
	_, err := imagemeta.Decode(imagemeta.Options{R: bytes.NewReader(data), ImageFormat: f, Sources: imagemeta.EXIF, LimitNumTags: 500, LimitTagSize: 1 << 12,
		ShouldHandleTag: func(t imagemeta.TagInfo) bool { return t.Tag == "Orientation" },
		HandleTag: func(t imagemeta.TagInfo) error {
			if n, ok := number(t.Value); ok && n >= 1 && n <= 8 {
				out = n
			}
			return nil
		}})
	if err != nil {
		return out // damaged EXIF says nothing
	}
	return out
}

func number(v any) (int, bool) {
	switch n := v.(type) {
	case uint16:
		return int(n), true
	case uint32:
		return int(min(n, 9)), true
	case uint8:
		return int(n), true
	case int:
		return n, true
	}
	return 0, false
}

// turned applies an EXIF orientation (EXIF 3.0, tag 0x0112).
func (p *picture) turned(orientation int) *picture {
	if orientation <= 1 || orientation > 8 {
		return p
	}
	out := &picture{p.w, p.h, make([]float32, len(p.pix))}
	if orientation >= 5 {
		out.w, out.h = p.h, p.w
	}
	for y := range out.h {
		for x := range out.w {
			var sx, sy int
			switch orientation {
			case 2:
				sx, sy = p.w-1-x, y
			case 3:
				sx, sy = p.w-1-x, p.h-1-y
			case 4:
				sx, sy = x, p.h-1-y
			case 5:
				sx, sy = y, x
			case 6:
				sx, sy = y, p.h-1-x
			case 7:
				sx, sy = p.w-1-y, p.h-1-x
			case 8:
				sx, sy = p.w-1-y, x
			}
			copy(out.pix[(y*out.w+x)*4:][:4], p.pix[(sy*p.w+sx)*4:][:4])
		}
	}
	return out
}

// profile gives the description of a picture's colour profile, "" when it has none or that is sRGB's.
func profile(format string, data []byte) string {
	var icc []byte
	switch format {
	case "png":
		if i := bytes.Index(data, []byte("iCCP")); i >= 4 {
			n := int(binary.BigEndian.Uint32(data[i-4:]))
			body := data[i+4 : min(len(data), i+4+max(n, 0))]
			if z := bytes.IndexByte(body, 0); z >= 0 && z+2 < len(body) {
				if r, err := zlib.NewReader(bytes.NewReader(body[z+2:])); err == nil {
					icc, _ = io.ReadAll(io.LimitReader(r, 1<<20)) // what can be read of it
				}
			}
		}
	case "jpeg":
		if i := bytes.Index(data, []byte("ICC_PROFILE\x00")); i >= 0 {
			icc = data[min(len(data), i+14):min(len(data), i+14+(64<<10))]
		}
	case "webp":
		if i := bytes.Index(data[:min(len(data), 4096)], []byte("ICCP")); i >= 0 {
			icc = data[min(len(data), i+8):min(len(data), i+8+(64<<10))]
		}
	}
	if len(icc) < 132 || string(icc[36:40]) != "acsp" {
		return ""
	}
	name := described(icc)
	if strings.Contains(strings.ToLower(name), "srgb") {
		return ""
	}
	if name == "" {
		name = "one without a name"
	}
	return name
}

// described reads the desc tag of an ICC profile (ICC.1, section 9.2.41 and its older form).
func described(icc []byte) string {
	be := binary.BigEndian
	count := int(min(be.Uint32(icc[128:]), 100))
	for i := range count {
		at := 132 + 12*i
		if at+12 > len(icc) {
			return ""
		}
		if string(icc[at:at+4]) != "desc" {
			continue
		}
		offset, size := uint64(be.Uint32(icc[at+4:])), uint64(be.Uint32(icc[at+8:]))
		if offset+min(size, 200) > uint64(len(icc)) || size < 16 {
			return ""
		}
		tag := icc[offset:min(uint64(len(icc)), offset+min(size, 200))]
		var b strings.Builder
		for _, c := range tag[12:] { // ASCII, or UTF-16 whose high bytes are passed over
			if c >= ' ' && c < 0x7f {
				b.WriteByte(c)
			}
		}
		s := strings.TrimPrefix(b.String(), "enUS")
		return strings.TrimSpace(s[:min(len(s), 60)])
	}
	return ""
}

// noticed gives remarks on what a raster file says about itself.
func noticed(format string, data []byte, orientation int) []string {
	var out []string
	if orientation > 1 {
		out = append(out, fmt.Sprintf("it is turned as its EXIF orientation (%d) says", orientation))
	}
	if p := profile(format, data); p != "" {
		out = append(out, fmt.Sprintf("it has a colour profile (%s); its values are taken as sRGB, so that colours can come out duller or stronger: convert it to sRGB", p))
	}
	return out
}
