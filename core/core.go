// Package core is above the packages that hold the rules of the job; it has no
// code of its own.
package core
