// Ends the process (SIGKILL) at the n-th call that changes what is on the disk, or fails it with an
// error in its place: loaded before the C library, so that a test can stop a writer at every point.
//   cc -shared -fPIC -o kill-at.so kill-at.c -ldl
//   LD_PRELOAD=./kill-at.so KILL_UNDER=/tmp/x Rscript ...   then kill_at(n) from R by .C()
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/types.h>
#include <unistd.h>

static long calls = 0, at = -1;
static char under[4096] = "";

// From R: .C("kill_at", as.integer(n), folder) counts from here; .C("kill_count", integer(1)).
void kill_at(int* n, char** folder) {
  calls = 0;
  at = *n;
  strncpy(under, *folder, sizeof under - 1);
}
void kill_count(int* n) { *n = (int)calls; }

static void met(const char* path) {
  if (at < 0 || !path || !strstr(path, under)) return;
  if (++calls == at) kill(getpid(), SIGKILL);
}

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

int rename(const char* from, const char* to) { met(from); return REAL(rename)(from, to); }
int unlink(const char* path) { met(path); return REAL(unlink)(path); }
int remove(const char* path) { met(path); return REAL(remove)(path); }
int rmdir(const char* path) { met(path); return REAL(rmdir)(path); }
int link(const char* from, const char* to) { met(to); return REAL(link)(from, to); }
int mkdir(const char* path, mode_t mode) { met(path); return REAL(mkdir)(path, mode); }
FILE* fopen(const char* path, const char* mode) {
  if (strpbrk(mode, "wa+")) met(path);
  return REAL(fopen)(path, mode);
}
FILE* fopen64(const char* path, const char* mode) {
  if (strpbrk(mode, "wa+")) met(path);
  return REAL(fopen64)(path, mode);
}
int open(const char* path, int flags, ...) {
  va_list more;
  va_start(more, flags);
  const mode_t mode = (flags & O_CREAT) ? va_arg(more, mode_t) : 0;
  va_end(more);
  if (flags & (O_CREAT | O_TRUNC)) met(path);
  return REAL(open)(path, flags, mode);
}
int open64(const char* path, int flags, ...) {
  va_list more;
  va_start(more, flags);
  const mode_t mode = (flags & O_CREAT) ? va_arg(more, mode_t) : 0;
  va_end(more);
  if (flags & (O_CREAT | O_TRUNC)) met(path);
  return REAL(open64)(path, flags, mode);
}
// The exchange of two folders goes by the number of its call.
long syscall(long number, ...) {
  va_list more;
  va_start(more, number);
  long a[6];
  for (int i = 0; i < 6; ++i) a[i] = va_arg(more, long);
  va_end(more);
  if (number == SYS_renameat2) met((const char*)a[1]);
  return REAL(syscall)(number, a[0], a[1], a[2], a[3], a[4], a[5]);
}
