// SPDX-License-Identifier: GPL-3.0-or-later
// Preloaded into a program under test: makes one call to the disk, or for memory, fail.
//   DREVAN_FAULT=KIND:N    the Nth call of this kind fails: write, fsync, rename, memory
//   DREVAN_FAULT_LOG=FILE  takes "KIND count" lines of all calls when the program ends
//   DREVAN_FAULT_LEAST=BYTES  requests for memory smaller than this do not count, 65536
// Only regular files and folders count; syncs of folders are counted as "folder", too. With KIND flock every lock is refused, as on a folder that knows none.
#include <dlfcn.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace {

enum Kind { k_write, k_fsync, k_rename, k_memory, k_flock, k_folder, kinds };
constexpr const char* names[kinds] = {"write", "fsync", "rename", "memory", "flock", "folder"};
std::atomic<long> counts[kinds];
long at[kinds];
std::size_t least = 65536;
std::atomic<bool> ready{false};

__attribute__((constructor)) void begin() {
  const char* fault = std::getenv("DREVAN_FAULT");
  for (int k = 0; fault && k < kinds; ++k) {
    const auto n = std::strlen(names[k]);
    if (std::strncmp(fault, names[k], n) == 0 && fault[n] == ':') at[k] = std::atol(fault + n + 1);
  }
  if (const char* bytes = std::getenv("DREVAN_FAULT_LEAST"))
    least = static_cast<std::size_t>(std::atol(bytes));
  ready = true;
}

__attribute__((destructor)) void end() {
  const char* log = std::getenv("DREVAN_FAULT_LOG");
  std::FILE* out = log ? std::fopen(log, "w") : nullptr;
  if (!out) return;
  for (int k = 0; k < kinds; ++k) std::fprintf(out, "%s %ld\n", names[k], counts[k].load());
  std::fclose(out);
}

bool fails(Kind kind) { return ready && ++counts[kind] == at[kind]; }

void note_folder(int fd) {
  struct stat s;
  if (ready && ::fstat(fd, &s) == 0 && S_ISDIR(s.st_mode)) ++counts[k_folder];
}

bool regular(int fd) {
  struct stat s;
  return ::fstat(fd, &s) == 0 && (S_ISREG(s.st_mode) || S_ISDIR(s.st_mode));
}

int failed(int error) {
  errno = error;
  return -1;
}

bool refused(std::size_t size) {
  if (size < least || !fails(k_memory)) return false;
  errno = ENOMEM;
  return true;
}

}  // namespace

#define REAL(name) reinterpret_cast<decltype(&name)>(dlsym(RTLD_NEXT, #name))

extern "C" {

ssize_t write(int fd, const void* data, size_t size) {
  if (regular(fd) && fails(k_write)) return failed(ENOSPC);
  return REAL(write)(fd, data, size);
}
int fsync(int fd) {
  note_folder(fd);
  if (regular(fd) && fails(k_fsync)) return failed(EIO);
  return REAL(fsync)(fd);
}
int fdatasync(int fd) {
  if (regular(fd) && fails(k_fsync)) return failed(EIO);
  return REAL(fdatasync)(fd);
}
int rename(const char* from, const char* to) {
  if (fails(k_rename)) return failed(EIO);
  return REAL(rename)(from, to);
}
int renameat2(int a, const char* from, int b, const char* to, unsigned flags) {
  if (fails(k_rename)) return failed(EIO);
  return REAL(renameat2)(a, from, b, to, flags);
}
int flock(int fd, int operation) {
  if (at[k_flock] > 0) return failed(ENOLCK);
  return REAL(flock)(fd, operation);
}

void* __libc_malloc(std::size_t);
void* __libc_calloc(std::size_t, std::size_t);
void* __libc_realloc(void*, std::size_t);
void* __libc_memalign(std::size_t, std::size_t);

void* malloc(std::size_t size) { return refused(size) ? nullptr : __libc_malloc(size); }
void* calloc(std::size_t n, std::size_t size) {
  return refused(n * size) ? nullptr : __libc_calloc(n, size);
}
void* realloc(void* p, std::size_t size) {
  return refused(size) ? nullptr : __libc_realloc(p, size);
}
void* aligned_alloc(std::size_t alignment, std::size_t size) {
  return refused(size) ? nullptr : __libc_memalign(alignment, size);
}
int posix_memalign(void** out, std::size_t alignment, std::size_t size) {
  if (refused(size)) return ENOMEM;
  *out = __libc_memalign(alignment, size);
  return *out ? 0 : ENOMEM;
}

}  // extern "C"
