// Large arrays. What a join touches at random (tables, sources of columns) is
// larger than what the processor's address cache reaches with pages of 4 kB,
// and fresh memory costs a fault a page. So pages of 2 MB are asked for, by a
// hint that the system may ignore. The hint covers whole pages inside the array
// only, so it can't make memory grow.
#pragma once
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <new>
#include <utility>
#ifdef __linux__
#include <sys/mman.h>
#endif

namespace ronda::core {

inline void advise_large_pages(void* data, std::size_t bytes) {
#if defined(__linux__) && defined(MADV_HUGEPAGE)
  constexpr std::uintptr_t page = std::uintptr_t{1} << 21;
  const auto at = reinterpret_cast<std::uintptr_t>(data);
  const std::uintptr_t begin = (at + page - 1) & ~(page - 1);
  const std::uintptr_t end = (at + bytes) & ~(page - 1);
  if (begin < end)
    madvise(reinterpret_cast<void*>(begin), end - begin, MADV_HUGEPAGE);
#else
  (void)data;
  (void)bytes;
#endif
}

enum class Start { unset, zero };

// An array of plain values of a size known from the start. Zeroed memory comes
// fresh from the system and costs nothing until it is touched.
template <class T>
class Buffer {
 public:
  Buffer() = default;
  explicit Buffer(std::size_t size, Start start = Start::unset) : size_(size) {
    if (size == 0) return;
    if (size > (SIZE_MAX - line) / sizeof(T)) throw std::bad_alloc();
    const std::size_t bytes = size * sizeof(T) + line;
    memory_ = start == Start::zero ? std::calloc(bytes, 1) : std::malloc(bytes);
    if (!memory_) throw std::bad_alloc();
    // the array begins with a cache line
    const auto at = reinterpret_cast<std::uintptr_t>(memory_);
    data_ = reinterpret_cast<T*>((at + line - 1) & ~(line - 1));
    advise_large_pages(data_, size * sizeof(T));
  }
  Buffer(Buffer&& other) noexcept { swap(other); }
  Buffer& operator=(Buffer&& other) noexcept {
    Buffer(std::move(other)).swap(*this);
    return *this;
  }
  Buffer(const Buffer&) = delete;
  Buffer& operator=(const Buffer&) = delete;
  ~Buffer() { std::free(memory_); }

  T& operator[](std::size_t i) { return data_[i]; }
  const T& operator[](std::size_t i) const { return data_[i]; }
  T* data() { return data_; }
  const T* data() const { return data_; }
  std::size_t size() const { return size_; }
  bool empty() const { return size_ == 0; }
  T* begin() { return data_; }
  T* end() { return data_ + size_; }
  const T* begin() const { return data_; }
  const T* end() const { return data_ + size_; }

 private:
  void swap(Buffer& other) noexcept {
    std::swap(memory_, other.memory_);
    std::swap(data_, other.data_);
    std::swap(size_, other.size_);
  }
  static constexpr std::uintptr_t line = 64;
  void* memory_ = nullptr;
  T* data_ = nullptr;
  std::size_t size_ = 0;
};

}  // namespace ronda::core
