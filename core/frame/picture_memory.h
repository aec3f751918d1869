#pragma once
// Memory for the samples of pictures: what a frame gave back is taken by the next one. Fresh pages cost the
// system as much as what is written to them.

#include <cstddef>
#include <cstdint>
#include <memory>

namespace glenhaze {

/// What waits to be used again is no more than this: a picture of 4K and 10 bits, and one plane more.
constexpr size_t kKeptPictureMemory = 34'000'000;

/// At least `bytes`, aligned to 64, with whatever was in it. Safe for several threads at once. Throws
/// std::bad_alloc.
std::shared_ptr<void> pictureMemory(size_t bytes);

/// Such memory as an array of bytes. Copies share them; whoever writes must own them alone.
class PictureBytes {
 public:
  /// What was in it is of no use afterwards.
  void resize(size_t size) {
    memory_.reset();
    memory_ = pictureMemory(size);
    size_ = size;
  }
  size_t size() const { return size_; }
  uint8_t* data() { return static_cast<uint8_t*>(memory_.get()); }
  const uint8_t* data() const { return static_cast<const uint8_t*>(memory_.get()); }
  const uint8_t& operator[](size_t i) const { return data()[i]; }
  const uint8_t* begin() const { return data(); }
  const uint8_t* end() const { return data() + size_; }

 private:
  std::shared_ptr<void> memory_;
  size_t size_ = 0;
};

/// Bytes that wait to be used again.
size_t keptPictureMemory();

/// For a program's beginning: large blocks go back to the system when they are let go of, instead of leaving
/// holes that nothing else fits into (at 4K some 120 MB of them).
void leaveNoHoles();

}  // namespace glenhaze
