// Memory for large intermediate results, not initialised, in large pages where the system has
// them: touching fresh memory page by page costs more than filling it.
#pragma once
#include <cstddef>
#include <cstdlib>
#include <new>
#if defined(__linux__)
#include <sys/mman.h>
#endif

namespace neatsieve {

template <class T> class scratch {
 public:
  scratch() = default;
  explicit scratch(std::size_t size) {
    const std::size_t page = std::size_t{1} << 21, bytes = size * sizeof(T);
#if defined(__linux__)
    if (bytes >= 2 * page) {
      data_ = static_cast<T*>(std::aligned_alloc(page, (bytes + page - 1) / page * page));
      if (data_) madvise(data_, bytes, MADV_HUGEPAGE);
    } else
#endif
      data_ = static_cast<T*>(std::malloc(bytes ? bytes : 1));
    if (!data_) throw std::bad_alloc();
  }
  scratch(scratch&& other) noexcept : data_(other.data_) { other.data_ = nullptr; }
  scratch& operator=(scratch&& other) noexcept {
    if (this != &other) { std::free(data_); data_ = other.data_; other.data_ = nullptr; }
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
