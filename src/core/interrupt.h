// What Ctrl-C does while somebody else's code waits for a server and hears
// nothing of it.
#pragma once
#include <string>
#include <vector>

namespace neatsieve {

// The socket of this process that is connected from one port to another; the
// one that is connected to the socket file of such a port where `from` is 0 and
// there is just one; else -1.
int connected_socket(int from, int to);

// From here on the first Ctrl-C starts a program, which asks the server to end
// the query, and every further one shuts the socket (unless it is -1); what was
// done before on Ctrl-C is done, too. False where that cannot be had here, or
// is at work already.
bool begin_interrupt_watch(const std::vector<std::string>& program, int socket);

// Ends it, and waits for the program. How many times Ctrl-C was met.
int end_interrupt_watch();

// How many times so far.
int interrupts_met();

}  // namespace neatsieve
