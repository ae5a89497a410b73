// Package definition reads what developers write: sources, datasets, prompts,
// queries and reports as YAML, each document with its kind and name on top,
//
//	pikegate: 1
//	prompt: travel-period
//	ask: Which days of travel?
//	type: period
//	default: last month
//
// and links them into a catalog.Catalog, in which every reference is resolved
// and every condition fits its column. All that is wrong comes back at once,
// each fault with its file, line and column.
package definition

// Format is the version of the file format, the value of the key "pikegate".
const Format = "1"
