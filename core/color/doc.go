// Package color holds the checks that judge colors: color.shade. Pictures are sRGB
// (IEC 61966-2-1); colors are compared in CIELAB with the white of D65.
package color
