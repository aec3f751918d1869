#pragma once
// Memory that is all written anyway.

#include <algorithm>
#include <cstddef>
#include <memory>
#include <type_traits>
#include <utility>

namespace glenhaze {

/// An array that holds whatever was in its memory. Of types that are nothing but their bytes. A std::vector
/// would write all of it first and, with an allocator that does not, visit each element to destroy it.
template <typename T>
class Unwritten {
  static_assert(std::is_trivially_copyable_v<T>);

 public:
  Unwritten() = default;
  explicit Unwritten(size_t size) { resize(size); }
  Unwritten(const Unwritten& other) : Unwritten(other.size_) { std::copy_n(other.data(), size_, data()); }
  Unwritten(Unwritten&& other) noexcept { swap(other); }
  Unwritten& operator=(Unwritten other) noexcept {
    swap(other);
    return *this;
  }
  ~Unwritten() = default;

  /// What was in it is of no use afterwards; smaller ones keep the memory.
  void resize(size_t size) {
    if (size > room_) {
      memory_.reset();
      size_ = room_ = 0;
      memory_ = std::make_unique_for_overwrite<T[]>(size);
      room_ = size;
    }
    size_ = size;
  }
  size_t size() const { return size_; }
  bool empty() const { return size_ == 0; }
  T* data() { return memory_.get(); }
  const T* data() const { return memory_.get(); }
  T& operator[](size_t i) { return memory_.get()[i]; }
  const T& operator[](size_t i) const { return memory_.get()[i]; }
  T* begin() { return data(); }
  T* end() { return data() + size_; }
  const T* begin() const { return data(); }
  const T* end() const { return data() + size_; }

 private:
  void swap(Unwritten& other) noexcept {
    memory_.swap(other.memory_);
    std::swap(size_, other.size_);
    std::swap(room_, other.room_);
  }
  std::unique_ptr<T[]> memory_;
  size_t size_ = 0, room_ = 0;
};

}  // namespace glenhaze
