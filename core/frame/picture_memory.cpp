#include "core/frame/picture_memory.h"

#include <malloc.h>

#include <cstdlib>
#include <mutex>
#include <new>
#include <vector>

namespace glenhaze {

namespace {

// Smaller ones are left to the library, which keeps them itself.
constexpr size_t kSmall = 1'000'000;
constexpr size_t kAlign = 64;

struct Block {
  void* memory = nullptr;
  size_t bytes = 0;
};

void* fresh(size_t bytes) {
  void* memory = std::aligned_alloc(kAlign, (bytes + kAlign - 1) / kAlign * kAlign);
  if (memory == nullptr) throw std::bad_alloc();
  return memory;
}

class Kept {
 public:
  // Giving back must not fail: there is room for all that may wait, and for one of each thread.
  Kept() { blocks_.reserve(kKeptPictureMemory / kSmall + 1000); }
  Kept(const Kept&) = delete;
  Kept& operator=(const Kept&) = delete;
  ~Kept() {
    for (const Block& block : blocks_) std::free(block.memory);
  }

  /// Null where there is none of this size. The one that was given back last is likeliest in the cache.
  void* take(size_t bytes) {
    const std::lock_guard lock(mutex_);
    for (auto at = blocks_.rbegin(); at != blocks_.rend(); ++at) {
      if (at->bytes != bytes) continue;
      void* memory = at->memory;
      bytes_ -= bytes;
      blocks_.erase(std::next(at).base());
      return memory;
    }
    return nullptr;
  }

  void give(Block block) noexcept {
    {
      const std::lock_guard lock(mutex_);
      blocks_.push_back(block);
      bytes_ += block.bytes;
    }
    while (void* old = tooMuch()) std::free(old);
  }

  size_t bytes() {
    const std::lock_guard lock(mutex_);
    return bytes_;
  }

 private:
  void* tooMuch() noexcept {
    const std::lock_guard lock(mutex_);
    if (bytes_ <= kKeptPictureMemory) return nullptr;
    const Block oldest = blocks_.front();
    blocks_.erase(blocks_.begin());
    bytes_ -= oldest.bytes;
    return oldest.memory;
  }

  std::mutex mutex_;
  std::vector<Block> blocks_;  // the oldest first
  size_t bytes_ = 0;
};

// Frames may outlive it where a program ends; so each holds it.
const std::shared_ptr<Kept>& kept() {
  static const auto all = std::make_shared<Kept>();
  return all;
}

}  // namespace

std::shared_ptr<void> pictureMemory(size_t bytes) {
  // One that is too large to be kept must not push out all the others either.
  if (bytes < kSmall || bytes > kKeptPictureMemory) return {fresh(bytes), std::free};
  const std::shared_ptr<Kept>& all = kept();
  void* memory = all->take(bytes);
  if (memory == nullptr) memory = fresh(bytes);
  return {memory, [all, bytes](void* back) { all->give({back, bytes}); }};
}

size_t keptPictureMemory() { return kept()->bytes(); }

void leaveNoHoles() {
  // Left to itself, the library raises this up to 32 MB (mallopt(3)); below it are the planes of 1080p.
  constexpr int kLarge = 8 * 1024 * 1024;
  mallopt(M_MMAP_THRESHOLD, kLarge);
}

}  // namespace glenhaze
