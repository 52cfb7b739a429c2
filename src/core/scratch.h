// Memory for large intermediate results, not initialised, in large pages where
// the system has them: touching fresh memory page by page costs more than
// filling it.
#pragma once
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <new>
#if defined(__linux__)
#include <sys/mman.h>
#endif

namespace neatsieve {

inline void* large_memory(std::size_t bytes) {
  void* memory = nullptr;
  const std::size_t page = std::size_t{1} << 21;
#if defined(__linux__)
  if (bytes >= 2 * page) {
    memory = std::aligned_alloc(page, (bytes + page - 1) / page * page);
    if (memory) madvise(memory, bytes, MADV_HUGEPAGE);
  } else
#endif
    memory = std::malloc(bytes ? bytes : page);
  if (!memory) throw std::bad_alloc();
  return memory;
}

// Asks for large pages in memory that somebody else has reserved and nobody has
// touched yet.
inline void prefer_large_pages(void* memory, std::size_t bytes) {
#if defined(__linux__)
  const std::uintptr_t page = std::uintptr_t{1} << 21;
  const auto from =
      (reinterpret_cast<std::uintptr_t>(memory) + page - 1) / page * page;
  const auto to =
      (reinterpret_cast<std::uintptr_t>(memory) + bytes) / page * page;
  if (to > from)
    madvise(reinterpret_cast<void*>(from), to - from, MADV_HUGEPAGE);
#else
  (void)memory;
  (void)bytes;
#endif
}

// The same memory for standard containers.
template <class T>
struct large_allocator {
  using value_type = T;
  large_allocator() = default;
  template <class U>
  large_allocator(const large_allocator<U>&) {}
  T* allocate(std::size_t n) {
    return static_cast<T*>(large_memory(n * sizeof(T)));
  }
  void deallocate(T* p, std::size_t) { std::free(p); }
};
template <class T, class U>
bool operator==(const large_allocator<T>&, const large_allocator<U>&) {
  return true;
}
template <class T, class U>
bool operator!=(const large_allocator<T>&, const large_allocator<U>&) {
  return false;
}

template <class T>
class scratch {
 public:
  scratch() = default;
  explicit scratch(std::size_t size)
      : data_(static_cast<T*>(large_memory(size * sizeof(T)))) {}
  scratch(scratch&& other) noexcept : data_(other.data_) {
    other.data_ = nullptr;
  }
  scratch& operator=(scratch&& other) noexcept {
    if (this != &other) {
      std::free(data_);
      data_ = other.data_;
      other.data_ = nullptr;
    }
    return *this;
  }
  scratch(const scratch&) = delete;
  scratch& operator=(const scratch&) = delete;
  ~scratch() { std::free(data_); }
  T* get() const { return data_; }
  T& operator[](std::size_t i) const { return data_[i]; }

 private:
  T* data_ = nullptr;
};

}  // namespace neatsieve
