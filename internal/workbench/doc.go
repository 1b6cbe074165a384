// Package workbench keeps the recipes that people work on: drafts with their pictures and
// samples as folders, released revisions as frozen folders known by their content hash,
// and who released what, when and why. It tries drafts on pictures and samples.
package workbench
