// Package cli is the terminal client: one file for each command. Commands on a
// running service go through its interface; inspect and recipe check work on files
// alone.
//
// Exit status: 0 done, 1 something could not be done (a picture could not be judged,
// the service refused), 2 the call or the recipe is wrong.
package cli
