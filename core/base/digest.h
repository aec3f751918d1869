#pragma once
// A fingerprint of bytes: SHA-256 (FIPS 180-4), so that two different inputs never get the same one by
// chance.

#include <memory>
#include <string>
#include <string_view>

namespace glenhaze {

/// Takes bytes in any number of pieces. Not safe for two threads at once.
class Digest {
 public:
  Digest();
  ~Digest();
  Digest(Digest&&) noexcept;
  Digest& operator=(Digest&&) noexcept;

  void add(std::string_view bytes);
  /// 64 hexadecimal digits. Nothing may be added afterwards.
  std::string hex();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Of one piece.
std::string digestOf(std::string_view bytes);

}  // namespace glenhaze
