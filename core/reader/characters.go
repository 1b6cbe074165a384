package reader

// Characters are what the network tells apart, in the order of its outputs after the first,
// which says that nothing new is there.
const Characters = " 0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz.,:/-+=*#%&()'!?@€$£°"

var characters = []rune(Characters)
