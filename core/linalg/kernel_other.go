//go:build !amd64 || purego

package linalg

const vectors = false

func mulSub8(*float64, int, *float64, int, int, *float64, int, int) { panic("no vectors") }
func mulSub4(*float64, int, *float64, int, int, *float64, int, int) { panic("no vectors") }
