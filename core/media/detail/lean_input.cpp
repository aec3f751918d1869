#include "core/media/detail/lean_input.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <string_view>

namespace glenhaze::detail {

namespace {

// More than a block's header in any container, less than most pictures.
constexpr int kBuffer_bytes = 4096;

bool intraOnly(AVCodecID codec) {
  const AVCodecDescriptor* known = avcodec_descriptor_get(codec);
  return known != nullptr && (known->props & AV_CODEC_PROP_INTRA_ONLY) != 0;
}

}  // namespace

bool LeanInput::serves(const AVFormatContext& full, int video) {
  const AVCodecID codec = full.streams[video]->codecpar->codec_id;
  const std::string_view name = full.iformat->name;
  // DV carries its sound inside the pictures, and its demuxer looks there.
  if (codec == AV_CODEC_ID_DVVIDEO) return false;
  // These two keep both the time of decoding and of showing; AVI only the first, which is enough where they
  // are the same.
  if (name.starts_with("mov") || name.starts_with("matroska")) return true;
  return name == "avi" && intraOnly(codec);
}

std::unique_ptr<LeanInput> LeanInput::open(const std::filesystem::path& path, const AVFormatContext& full,
                                           int head_bytes) {
  std::unique_ptr<LeanInput> input(new LeanInput);
  input->file_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  struct stat found {};
  if (input->file_ < 0 || ::fstat(input->file_, &found) != 0 || !S_ISREG(found.st_mode)) return nullptr;
  input->size_ = found.st_size;
  input->head_bytes_ = std::min(head_bytes, kBuffer_bytes);
  auto* buffer = static_cast<uint8_t*>(av_malloc(kBuffer_bytes));
  if (buffer == nullptr) return nullptr;
  input->io_ =
      avio_alloc_context(buffer, kBuffer_bytes, 0, input.get(), &LeanInput::read, nullptr, &LeanInput::seek);
  AVFormatContext* raw = avformat_alloc_context();
  if (input->io_ == nullptr || raw == nullptr) return nullptr;
  raw->pb = input->io_;
  // A parser would look into the packets.
  raw->flags |= AVFMT_FLAG_NOPARSE;
  if (avformat_open_input(&raw, "", full.iformat, nullptr) < 0) return nullptr;  // frees the context
  input->format_.reset(raw);
  if (raw->nb_streams != full.nb_streams) return nullptr;
  // Where packets do not say how long they last, the rate does; it was told by looking into them.
  for (unsigned i = 0; i < raw->nb_streams; ++i) {
    raw->streams[i]->avg_frame_rate = full.streams[i]->avg_frame_rate;
    raw->streams[i]->r_frame_rate = full.streams[i]->r_frame_rate;
  }
  // Behind the headers the file is read here and there; what the system would fetch ahead is never asked for.
  ::posix_fadvise(input->file_, 0, 0, POSIX_FADV_RANDOM);
  input->lean_ = true;
  return input;
}

LeanInput::~LeanInput() {
  format_.reset();
  if (io_ != nullptr) av_freep(&io_->buffer);
  avio_context_free(&io_);
  if (file_ >= 0) ::close(file_);
}

int LeanInput::read(void* opaque, uint8_t* to, int bytes) {
  auto& self = *static_cast<LeanInput*>(opaque);
  const int64_t left = self.size_ - self.position_;
  if (left <= 0) return AVERROR_EOF;
  const auto wanted = static_cast<int>(std::min<int64_t>(bytes, left));
  // What goes into the buffer is read to be understood, what goes past it is a packet's contents.
  const bool contents = to < self.io_->buffer || to >= self.io_->buffer + self.io_->buffer_size;
  const int real = self.lean_ && contents ? std::min(wanted, self.head_bytes_) : wanted;
  int got = 0;
  while (got < real) {
    const ssize_t n = ::pread(self.file_, to + got, static_cast<size_t>(real - got), self.position_ + got);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return AVERROR(errno);
    if (n == 0) break;
    got += static_cast<int>(n);
  }
  const int given = got < real ? got : wanted;
  self.position_ += given;
  return given > 0 ? given : AVERROR_EOF;
}

int64_t LeanInput::seek(void* opaque, int64_t offset, int whence) {
  auto& self = *static_cast<LeanInput*>(opaque);
  if (whence == AVSEEK_SIZE) return self.size_;
  const int64_t from = whence == SEEK_CUR ? self.position_ : whence == SEEK_END ? self.size_ : 0;
  if (from + offset < 0) return AVERROR(EINVAL);
  return self.position_ = from + offset;
}

}  // namespace glenhaze::detail
