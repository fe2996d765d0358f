package hosts

// Place is how a file that is whole gets its name.
var Place = place
