package service

// room is how many connections this process can hold.
func room() int { return mostConnections }
