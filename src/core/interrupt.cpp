#include "interrupt.h"

#ifdef _WIN32

namespace neatsieve {
int connected_socket(int, int) {
  return -1;
}
bool begin_interrupt_watch(const std::vector<std::string>&, int) {
  return false;
}
int end_interrupt_watch() {
  return 0;
}
int interrupts_met() {
  return 0;
}
}  // namespace neatsieve

#else

#include <fcntl.h>
#include <netinet/in.h>
#include <signal.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <memory>
#include <thread>

extern char** environ;

namespace neatsieve {

namespace {

int port_of(const sockaddr_storage& address) {
  if (address.ss_family == AF_INET)
    return ntohs(reinterpret_cast<const sockaddr_in&>(address).sin_port);
  if (address.ss_family == AF_INET6)
    return ntohs(reinterpret_cast<const sockaddr_in6&>(address).sin6_port);
  return -1;
}

// Whether the other end is the socket file of a port, as
// "/run/postgresql/.s.PGSQL.5432".
bool is_file_of(const sockaddr_storage& address, int port) {
  if (address.ss_family != AF_UNIX) return false;
  const std::string path =
      reinterpret_cast<const sockaddr_un&>(address).sun_path;
  const std::string end = "." + std::to_string(port);
  return path.size() > end.size() &&
         path.compare(path.size() - end.size(), end.size(), end) == 0;
}

// A handler may do no more than write a byte: a thread of its own does the
// rest.
struct watch {
  int pipe[2] = {-1, -1};
  struct sigaction before {};
  struct sigaction ours {};
  std::thread worker;
  std::atomic<int> met{0};
};

std::unique_ptr<watch> at_work;
// What the handler sees, which may run while `at_work` is being taken down.
std::atomic<watch*> seen{nullptr};

void on_interrupt(int signal) {
  const int kept = errno;
  watch* const now = seen.load();
  if (!now) return;
  now->met.fetch_add(1);
  const char told = 'i';
  while (write(now->pipe[1], &told, 1) < 0 && errno == EINTR) {
  }
  const auto before = now->before.sa_handler;
  const bool is_plain = !(now->before.sa_flags & SA_SIGINFO);
  if (is_plain && before != SIG_DFL && before != SIG_IGN) before(signal);
  // The handler before may have put itself in place again.
  sigaction(SIGINT, &now->ours, nullptr);
  errno = kept;
}

pid_t started(const std::vector<std::string>& program) {
  std::vector<char*> arguments;
  for (const std::string& part : program)
    arguments.push_back(const_cast<char*>(part.c_str()));
  arguments.push_back(nullptr);
  posix_spawnattr_t attributes;
  posix_spawnattr_init(&attributes);
  // In a group of its own, so that a further Ctrl-C of the terminal does not
  // end it.
  posix_spawnattr_setpgroup(&attributes, 0);
  // The thread here hears no signals, but that program does.
  sigset_t none;
  sigemptyset(&none);
  posix_spawnattr_setsigmask(&attributes, &none);
  posix_spawnattr_setflags(
      &attributes, POSIX_SPAWN_SETPGROUP | POSIX_SPAWN_SETSIGMASK
  );
  pid_t child = -1;
  if (posix_spawnp(
          &child, arguments[0], nullptr, &attributes, arguments.data(), environ
      ) != 0)
    child = -1;
  posix_spawnattr_destroy(&attributes);
  return child;
}

void follow_interrupts(
    int from, const std::vector<std::string>& program, int socket
) {
  pid_t child = -1;
  bool first = true;
  char told = 0;
  for (;;) {
    const ssize_t got = read(from, &told, 1);
    if (got < 0 && errno == EINTR) continue;
    if (got != 1 || told != 'i') break;
    if (first)
      child = started(program);
    else if (socket >= 0)
      shutdown(socket, SHUT_RDWR);
    first = false;
  }
  if (child > 0)
    while (waitpid(child, nullptr, 0) < 0 && errno == EINTR) {
    }
}

}  // namespace

int connected_socket(int from, int to) {
  rlimit most{};
  if (getrlimit(RLIMIT_NOFILE, &most) != 0) return -1;
  const int end = static_cast<int>(std::min<rlim_t>(most.rlim_cur, 65536));
  int found = -1;
  for (int at = 3; at < end; ++at) {
    sockaddr_storage own{}, other{};
    socklen_t own_size = sizeof own, other_size = sizeof other;
    if (getsockname(at, reinterpret_cast<sockaddr*>(&own), &own_size) != 0 ||
        getpeername(at, reinterpret_cast<sockaddr*>(&other), &other_size) != 0)
      continue;
    if (from > 0) {
      if (port_of(own) == from && port_of(other) == to) return at;
    } else if (is_file_of(other, to)) {
      if (found >= 0) return -1;
      found = at;
    }
  }
  return found;
}

bool begin_interrupt_watch(
    const std::vector<std::string>& program, int socket
) {
  if (at_work || program.empty()) return false;
  auto now = std::make_unique<watch>();
  if (pipe(now->pipe) != 0) return false;
  for (int end : now->pipe) fcntl(end, F_SETFD, FD_CLOEXEC);
  // The thread leaves signals to the one that waits for the server.
  sigset_t all, kept;
  sigfillset(&all);
  pthread_sigmask(SIG_SETMASK, &all, &kept);
  try {
    now->worker = std::thread(follow_interrupts, now->pipe[0], program, socket);
  } catch (...) {
    pthread_sigmask(SIG_SETMASK, &kept, nullptr);
    close(now->pipe[0]);
    close(now->pipe[1]);
    return false;
  }
  pthread_sigmask(SIG_SETMASK, &kept, nullptr);
  now->ours.sa_handler = on_interrupt;
  sigemptyset(&now->ours.sa_mask);
  now->ours.sa_flags = SA_RESTART;
  at_work = std::move(now);
  seen = at_work.get();
  sigaction(SIGINT, nullptr, &at_work->before);
  sigaction(SIGINT, &at_work->ours, nullptr);
  return true;
}

int end_interrupt_watch() {
  if (!at_work) return 0;
  sigaction(SIGINT, &at_work->before, nullptr);
  seen = nullptr;
  const char told = 'e';
  while (write(at_work->pipe[1], &told, 1) < 0 && errno == EINTR) {
  }
  at_work->worker.join();
  close(at_work->pipe[0]);
  close(at_work->pipe[1]);
  const int met = at_work->met;
  at_work.reset();
  return met;
}

int interrupts_met() {
  return at_work ? at_work->met.load() : 0;
}

}  // namespace neatsieve

#endif
