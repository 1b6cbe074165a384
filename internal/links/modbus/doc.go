// Package modbus answers a line controller that speaks Modbus TCP (MODBUS Messaging on TCP/IP
// Implementation Guide V1.0b). docs/links.md has the map of registers and coils, which map.go
// makes. A line is a unit; commands go by a handshake in the holding registers.
package modbus
