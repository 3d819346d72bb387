package platform

import "fmt"

// Screen is one that current iPhones or iPads have, upright.
type Screen struct {
	Width, Height int // CSS px
	Ratio         int // device px for one
	Tablet        bool
	Devices       string
}

// Screens are those of the iPhones and iPads that run a system of the last three years, as their maker's specifications gave them in November 2026.
var Screens = []Screen{
	{375, 667, 2, false, "iPhone SE"},
	{375, 812, 3, false, "iPhone XS, 11 Pro, 12 mini, 13 mini"},
	{390, 844, 3, false, "iPhone 12, 13, 14, 16e"},
	{393, 852, 3, false, "iPhone 14 Pro, 15, 15 Pro, 16"},
	{402, 874, 3, false, "iPhone 16 Pro, 17, 17 Pro"},
	{414, 896, 2, false, "iPhone XR, 11"},
	{414, 896, 3, false, "iPhone XS Max, 11 Pro Max"},
	{420, 912, 3, false, "iPhone Air"},
	{428, 926, 3, false, "iPhone 12 Pro Max, 13 Pro Max, 14 Plus"},
	{430, 932, 3, false, "iPhone 14 Pro Max, 15 Plus, 15 Pro Max, 16 Plus"},
	{440, 956, 3, false, "iPhone 16 Pro Max, 17 Pro Max"},
	{744, 1133, 2, true, "iPad mini"},
	{768, 1024, 2, true, "iPad of 9.7 inches"},
	{810, 1080, 2, true, "iPad of 10.2 inches"},
	{820, 1180, 2, true, "iPad, iPad Air of 11 inches"},
	{834, 1112, 2, true, "iPad of 10.5 inches"},
	{834, 1194, 2, true, "iPad Pro of 11 inches"},
	{834, 1210, 2, true, "iPad Pro of 11 inches, from 2024 on"},
	{1024, 1366, 2, true, "iPad Pro of 12.9 inches, iPad Air of 13 inches"},
	{1032, 1376, 2, true, "iPad Pro of 13 inches, from 2024 on"},
}

// Launch is a launch picture that a screen takes: only one of exactly its size is shown.
type Launch struct {
	Width, Height int    // device px
	Media         string // media query that is true for the screen
}

// Launches are the pictures of a screen: upright, and for tablets also lying, on which apps are opened in either way.
func (s Screen) Launches() []Launch {
	query := func(orientation string) string {
		return fmt.Sprintf("(device-width: %dpx) and (device-height: %dpx) and (-webkit-device-pixel-ratio: %d) and (orientation: %s)", s.Width, s.Height, s.Ratio, orientation)
	}
	out := []Launch{{s.Width * s.Ratio, s.Height * s.Ratio, query("portrait")}}
	if s.Tablet {
		out = append(out, Launch{s.Height * s.Ratio, s.Width * s.Ratio, query("landscape")})
	}
	return out
}
