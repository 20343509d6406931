// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/real_time.h"

#include "support/sanitized.h"

#ifndef DREVAN_SANITIZED

#include <dlfcn.h>
#include <fcntl.h>
#include <pthread.h>

#include <cerrno>
#include <cstdarg>
#include <cstdlib>

namespace {
thread_local bool under_watch = false;
thread_local drevan::test::RealTimeWatch::Counts counted_here;

void count(int drevan::test::RealTimeWatch::Counts::*what) {
  if (under_watch) ++(counted_here.*what);
}
using Counts = drevan::test::RealTimeWatch::Counts;

template <class F>
F next_called(const char* name) {
  return reinterpret_cast<F>(::dlsym(RTLD_NEXT, name));
}
}  // namespace

// In the place of the C library's, for all that is linked with it.
extern "C" {

void* __libc_malloc(size_t);
void* __libc_calloc(size_t, size_t);
void* __libc_realloc(void*, size_t);
void* __libc_memalign(size_t, size_t);
void __libc_free(void*);

void* malloc(size_t n) {
  count(&Counts::taken);
  return __libc_malloc(n);
}
void* calloc(size_t n, size_t size) {
  count(&Counts::taken);
  return __libc_calloc(n, size);
}
void* realloc(void* p, size_t n) {
  count(&Counts::taken);
  return __libc_realloc(p, n);
}
void* memalign(size_t alignment, size_t n) {
  count(&Counts::taken);
  return __libc_memalign(alignment, n);
}
void* aligned_alloc(size_t alignment, size_t n) {
  count(&Counts::taken);
  return __libc_memalign(alignment, n);
}
int posix_memalign(void** p, size_t alignment, size_t n) {
  count(&Counts::taken);
  *p = __libc_memalign(alignment, n);
  return *p ? 0 : ENOMEM;
}
void free(void* p) {
  if (p) count(&Counts::given_back);
  __libc_free(p);
}
int pthread_mutex_lock(pthread_mutex_t* mutex) {
  static const auto lock = next_called<int (*)(pthread_mutex_t*)>("pthread_mutex_lock");
  count(&Counts::locks);
  return lock(mutex);
}
int open(const char* name, int flags, ...) {
  static const auto real = next_called<int (*)(const char*, int, ...)>("open");
  va_list rest;
  va_start(rest, flags);
  const mode_t mode = (flags & (O_CREAT | O_TMPFILE)) != 0 ? va_arg(rest, mode_t) : 0;
  va_end(rest);
  count(&Counts::files);
  return real(name, flags, mode);
}
}

namespace drevan::test {
RealTimeWatch::RealTimeWatch() {
  counted_here = {};
  under_watch = true;
}
RealTimeWatch::~RealTimeWatch() { under_watch = false; }
RealTimeWatch::Counts RealTimeWatch::counts() const {
  under_watch = false;
  const Counts out = counted_here;
  under_watch = true;
  return out;
}
}  // namespace drevan::test

#else

namespace drevan::test {
RealTimeWatch::RealTimeWatch() = default;
RealTimeWatch::~RealTimeWatch() = default;
RealTimeWatch::Counts RealTimeWatch::counts() const { return {}; }
}  // namespace drevan::test

#endif
