#pragma once
// Memory that is all written anyway.

#include <memory>
#include <utility>

namespace glenhaze {

/// Of std::vector: what it grows by is left as it is.
template <typename T>
struct Unwritten : std::allocator<T> {
  template <typename U>
  struct rebind {
    using other = Unwritten<U>;
  };
  template <typename U>
  void construct(U* at) noexcept {
    ::new (static_cast<void*>(at)) U;
  }
  template <typename U, typename... Args>
  void construct(U* at, Args&&... args) {
    ::new (static_cast<void*>(at)) U(std::forward<Args>(args)...);
  }
};

}  // namespace glenhaze
