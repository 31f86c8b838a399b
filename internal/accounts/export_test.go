package accounts

// For the test of how long a refusal takes.
var (
	NoOne = noOne
	Argon = argon
)
