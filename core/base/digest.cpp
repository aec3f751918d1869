#include "core/base/digest.h"

extern "C" {
#include <libavutil/mem.h>
#include <libavutil/sha.h>
}

#include <array>
#include <cstdint>
#include <new>

namespace glenhaze {

namespace {

constexpr int kBits = 256;

struct ShaDeleter {
  void operator()(AVSHA* sha) const { av_free(sha); }
};

}  // namespace

struct Digest::State {
  std::unique_ptr<AVSHA, ShaDeleter> sha{av_sha_alloc()};
};

Digest::Digest() : state_(std::make_unique<State>()) {
  if (!state_->sha) throw std::bad_alloc();
  av_sha_init(state_->sha.get(), kBits);
}
Digest::~Digest() = default;
Digest::Digest(Digest&&) noexcept = default;
Digest& Digest::operator=(Digest&&) noexcept = default;

void Digest::add(std::string_view bytes) {
  av_sha_update(state_->sha.get(), reinterpret_cast<const uint8_t*>(bytes.data()), bytes.size());
}

std::string Digest::hex() {
  std::array<uint8_t, kBits / 8> raw{};
  av_sha_final(state_->sha.get(), raw.data());
  constexpr std::string_view kDigits = "0123456789abcdef";
  std::string text;
  for (const uint8_t byte : raw) {
    text += kDigits[byte >> 4];
    text += kDigits[byte & 15];
  }
  return text;
}

std::string digestOf(std::string_view bytes) {
  Digest digest;
  digest.add(bytes);
  return digest.hex();
}

}  // namespace glenhaze
