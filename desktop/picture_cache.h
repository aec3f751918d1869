#pragma once
// Pictures that were made for looking at, of all parts of the window, under one common budget: what was
// looked at longest ago goes first.

#include <cstddef>
#include <cstdint>
#include <list>
#include <map>
#include <memory>
#include <mutex>
#include <optional>

namespace glenhaze::desktop {

/// All methods may be called from any thread.
class PictureCache {
 public:
  /// A quarter of this computer's memory, at most 2 GB.
  static size_t usualBudget();

  explicit PictureCache(size_t budget_bytes = usualBudget()) : budget_(budget_bytes) {}

  void setBudget(size_t bytes);
  size_t budget() const;
  size_t used() const;

  /// A part of the window with pictures of its own, numbered as it likes.
  int newOwner();
  /// Replaces nothing: the first picture under a number stays until it is forgotten or goes. One that is
  /// larger than the whole budget is not kept.
  void put(int owner, int64_t number, std::shared_ptr<const void> picture, size_t bytes);
  /// Null where it is not there (any more).
  std::shared_ptr<const void> find(int owner, int64_t number);
  bool contains(int owner, int64_t number) const;
  /// How many with numbers in [first, last), and the bytes of all of an owner's.
  int64_t count(int owner, int64_t first, int64_t last) const;
  size_t usedBy(int owner) const;
  /// The smallest number there is from `number` on.
  std::optional<int64_t> next(int owner, int64_t number) const;
  void forget(int owner);

 private:
  using Key = std::pair<int, int64_t>;
  struct Kept {
    std::shared_ptr<const void> picture;
    size_t bytes = 0;
    std::list<Key>::iterator turn;
  };
  void shrinkTo(size_t bytes);
  void drop(std::map<Key, Kept>::iterator at);

  mutable std::mutex mutex_;
  size_t budget_, used_ = 0;
  int owners_ = 0;
  std::map<Key, Kept> kept_;
  std::map<int, size_t> used_by_;
  std::list<Key> turns_;  // looked at longest ago first
};

}  // namespace glenhaze::desktop
