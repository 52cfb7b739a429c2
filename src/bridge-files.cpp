// The standard output, and the machine.
#include "bridge.h"

#include <cerrno>
#include <csignal>
#include <cstdio>
#include <thread>
#include <unistd.h>
#if defined(__linux__)
#include <fcntl.h>
#include <sys/syscall.h>
#endif

using namespace Rcpp;

namespace {

// A pipe that nobody reads any more is told by the result of writing, not by a signal.
class quiet_pipe {
public:
#ifdef SIGPIPE
  quiet_pipe() : before_(std::signal(SIGPIPE, SIG_IGN)) {}
  ~quiet_pipe() { std::signal(SIGPIPE, before_); }

private:
  void (*before_)(int);
#endif
};

}  // namespace

// Writes bytes to the standard output: "all" of them arrived, it was "closed", or it "failed".
// [[Rcpp::export]]
std::string core_send_output(RawVector bytes) {
  const quiet_pipe quiet;
  const Rbyte* at = bytes.begin();
  const Rbyte* end = bytes.end();
  while (at != end) {
    const auto written = write(1, at, static_cast<std::size_t>(end - at));
    if (written < 0 && errno == EPIPE) return "closed";
    if (written < 0 && errno != EINTR) return "failed";
    if (written < 0) checkUserInterrupt();
    if (written > 0) at += written;
  }
  return "all";
}

// Threads that the machine runs at once; 0 where that is not known.
// [[Rcpp::export]]
int core_machine_threads() { return static_cast<int>(std::thread::hardware_concurrency()); }

// Whether two paths were exchanged in one step, so that each names what the other did.
// [[Rcpp::export]]
bool core_exchange_paths(std::string one, std::string other) {
#if defined(__linux__) && defined(SYS_renameat2)
  constexpr unsigned exchange = 2;   // RENAME_EXCHANGE
  return syscall(SYS_renameat2, AT_FDCWD, one.c_str(), AT_FDCWD, other.c_str(), exchange) == 0;
#elif defined(__APPLE__)
  return renamex_np(one.c_str(), other.c_str(), RENAME_SWAP) == 0;
#else
  (void)one;
  (void)other;
  return false;
#endif
}
