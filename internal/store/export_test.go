package store

// Tx is what every change of the store goes through.
var Tx = (*Store).tx
