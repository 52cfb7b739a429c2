// The standard output, and the machine.
#include "bridge.h"
#include "core/crc32.h"
#include "core/parquet_group.h"

#include <cerrno>
#include <csignal>
#include <cstdio>
#include <string>
#include <sys/stat.h>
#include <thread>
#include <unistd.h>
#if defined(__linux__)
#include <fcntl.h>
#include <sys/syscall.h>
#endif

using namespace Rcpp;

namespace {

// A pipe that nobody reads any more is told by the result of writing, not by a
// signal.
class quiet_pipe {
 public:
#ifdef SIGPIPE
  quiet_pipe() : before_(std::signal(SIGPIPE, SIG_IGN)) {}
  ~quiet_pipe() {
    std::signal(SIGPIPE, before_);
  }

 private:
  void (*before_)(int);
#endif
};

}  // namespace

// Writes bytes to the standard output: "all" of them arrived, it was "closed",
// or it "failed".
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
int core_machine_threads() {
  return static_cast<int>(std::thread::hardware_concurrency());
}

// Whether two paths were exchanged in one step, so that each names what the
// other did.
// [[Rcpp::export]]
bool core_exchange_paths(std::string one, std::string other) {
#if defined(__linux__) && defined(SYS_renameat2)
  constexpr unsigned exchange = 2;  // RENAME_EXCHANGE
  return syscall(
             SYS_renameat2, AT_FDCWD, one.c_str(), AT_FDCWD, other.c_str(),
             exchange
         ) == 0;
#elif defined(__APPLE__)
  return renamex_np(one.c_str(), other.c_str(), RENAME_SWAP) == 0;
#else
  (void)one;
  (void)other;
  return false;
#endif
}

// The CRC-32 of what came before (0 at first) and more bytes.
// [[Rcpp::export]]
double core_crc32(double before, RawVector bytes) {
  return neatsieve::crc32(
      static_cast<std::uint32_t>(before), bytes.begin(),
      static_cast<std::size_t>(bytes.size())
  );
}

// What tells that a file is still the one it was: its size, when it was
// written, its number on its disk; empty where there is none.
// [[Rcpp::export]]
std::string core_file_state(std::string path) {
  struct stat about;
  if (stat(path.c_str(), &about) != 0) return "";
  long part = 0;
#if defined(__linux__)
  part = about.st_mtim.tv_nsec;
#elif defined(__APPLE__)
  part = about.st_mtimespec.tv_nsec;
#endif
  return std::to_string(about.st_size) + " " + std::to_string(about.st_mtime) +
         " " + std::to_string(part) + " " + std::to_string(about.st_ino) + " " +
         std::to_string(about.st_dev);
}

// Whether a path is a pipe, which gives its bytes once.
// [[Rcpp::export]]
bool core_is_pipe(std::string path) {
  struct stat about;
#ifdef S_ISFIFO
  return stat(path.c_str(), &about) == 0 && S_ISFIFO(about.st_mode);
#else
  return false;
#endif
}

// Writes one row group of a Parquet file (its number from 0) with some columns
// as a file of its own; an error for what cannot be read or written.
// [[Rcpp::export]]
void core_copy_row_group(
    std::string path, std::string to, int group, CharacterVector columns
) {
  neatsieve::copy_parquet_group(
      path, to, static_cast<std::size_t>(group),
      as<std::vector<std::string>>(columns)
  );
}
