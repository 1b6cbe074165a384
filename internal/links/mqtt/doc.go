// Package mqtt tells a broker what happens and takes commands from it (MQTT 3.1.1, OASIS Standard
// 2014). docs/links.md has the topics, which topics.go makes. What cannot be told now waits in a
// bounded queue; commands never wait: one that was given while nobody listened is not obeyed
// later.
package mqtt
