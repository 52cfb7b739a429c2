// Ctrl-C while something else waits: what it starts, what it shuts, and what
// stays as it was.
#ifndef _WIN32
#include <netinet/in.h>
#include <signal.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cstdio>
#include <fstream>
#include <string>

#include "interrupt.h"
#include <testthat/vendor/catch.h>

namespace {

volatile sig_atomic_t own_interrupts = 0;
void count_own(int) {
  own_interrupts = own_interrupts + 1;
}

int port_of(int socket) {
  sockaddr_in address{};
  socklen_t size = sizeof address;
  getsockname(socket, reinterpret_cast<sockaddr*>(&address), &size);
  return ntohs(address.sin_port);
}

// Both ends of a connection on loopback.
struct connection {
  int listener, client, server, to;
  connection() {
    listener = socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    socklen_t size = sizeof address;
    bind(listener, reinterpret_cast<sockaddr*>(&address), size);
    listen(listener, 1);
    to = port_of(listener);
    getsockname(listener, reinterpret_cast<sockaddr*>(&address), &size);
    client = socket(AF_INET, SOCK_STREAM, 0);
    connect(client, reinterpret_cast<sockaddr*>(&address), size);
    server = accept(listener, nullptr, nullptr);
  }
  ~connection() {
    for (int end : {listener, client, server}) close(end);
  }
};

}  // namespace

TEST_CASE("a socket is found by the ports of its ends") {
  const connection one, other;
  REQUIRE(
      neatsieve::connected_socket(port_of(one.client), one.to) == one.client
  );
  REQUIRE(
      neatsieve::connected_socket(port_of(other.client), other.to) ==
      other.client
  );
  REQUIRE(neatsieve::connected_socket(port_of(one.client), other.to) == -1);
}

TEST_CASE(
    "the first interrupt starts a program, the next shuts the socket, the old "
    "handler runs"
) {
  const connection one;
  const std::string path =
      "/tmp/neatsieve-interrupt-" + std::to_string(getpid());
  struct sigaction own {
  }, kept{};
  own.sa_handler = count_own;
  sigaction(SIGINT, &own, &kept);
  REQUIRE(neatsieve::begin_interrupt_watch({"touch", path}, one.client));
  REQUIRE_FALSE(neatsieve::begin_interrupt_watch({"touch", path}, one.client));
  REQUIRE(neatsieve::interrupts_met() == 0);
  raise(SIGINT);
  raise(SIGINT);
  char none;
  REQUIRE(read(one.server, &none, 1) == 0);
  REQUIRE(neatsieve::end_interrupt_watch() == 2);
  REQUIRE(own_interrupts == 2);
  REQUIRE(std::ifstream(path).good());
  std::remove(path.c_str());
  raise(SIGINT);
  REQUIRE(own_interrupts == 3);
  REQUIRE(neatsieve::interrupts_met() == 0);
  REQUIRE_FALSE(std::ifstream(path).good());
  sigaction(SIGINT, &kept, nullptr);
}

TEST_CASE(
    "a watch without an interrupt changes nothing, and a program may be missing"
) {
  REQUIRE(neatsieve::begin_interrupt_watch({"/no/such/program"}, -1));
  REQUIRE(neatsieve::end_interrupt_watch() == 0);
  REQUIRE(neatsieve::end_interrupt_watch() == 0);
  REQUIRE_FALSE(neatsieve::begin_interrupt_watch({}, -1));
  struct sigaction own {
  }, kept{};
  own.sa_handler = count_own;
  sigaction(SIGINT, &own, &kept);
  REQUIRE(neatsieve::begin_interrupt_watch({"/no/such/program"}, -1));
  raise(SIGINT);
  REQUIRE(neatsieve::end_interrupt_watch() == 1);
  sigaction(SIGINT, &kept, nullptr);
}
#endif
