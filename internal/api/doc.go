// Package api is the service's HTTP interface, /api/v1: JSON, problem details (RFC
// 9457) for errors, Server-Sent Events for what happens live, and an OpenAPI 3.1
// document made from the handlers' own types. Console and terminal client are
// clients of it and can do nothing that it does not offer.
//
//	route.go     typed handlers and the document made from them
//	types.go     what goes over the wire
//	live.go      the hub of events, resumable with Last-Event-ID
//	safety.go    who may speak to a service on loopback
//	stations.go, items.go, pictures.go, recipes.go, about.go: the resources
package api
