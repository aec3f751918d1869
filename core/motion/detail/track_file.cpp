#include "core/motion/detail/track_file.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cmath>
#include <cstring>

#include "core/base/error.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace detail {

PositionSteps::PositionSteps(int width, int height) : per_pixel_(65000.0 / (std::max(width, height) + 2)) {}

uint16_t PositionSteps::to(double px) const {
  return static_cast<uint16_t>(std::clamp(std::lround((px + 1) * per_pixel_), 0L, 65535L));
}

namespace {

constexpr const char* kMagic = "glenhaze-tracks 1\n";
constexpr int32_t kUnfinished = -1;  // in the place of the number of frames
constexpr size_t kPairBytes = 4 * sizeof(uint16_t);
constexpr size_t kFrameBytes = sizeof(double) + sizeof(float) + 2 * sizeof(uint16_t);  // without its pairs
constexpr size_t kSizeBytes = 3 * sizeof(int32_t);  // width, height, frames

std::string headOf(const std::string& key) { return kMagic + key + "\n"; }

bool readAt(int fd, uint64_t at, void* to, size_t bytes) {
  auto* out = static_cast<char*>(to);
  while (bytes > 0) {
    const ssize_t n = ::pread(fd, out, bytes, static_cast<off_t>(at));
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    out += n;
    at += static_cast<uint64_t>(n);
    bytes -= static_cast<size_t>(n);
  }
  return true;
}

// Returns 0 or what went wrong, as errno says it.
int writeAt(int fd, uint64_t at, const std::string& bytes) {
  size_t done = 0;
  while (done < bytes.size()) {
    const ssize_t n = ::pwrite(fd, bytes.data() + done, bytes.size() - done, static_cast<off_t>(at + done));
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return n < 0 ? errno : ENOSPC;
    done += static_cast<size_t>(n);
  }
  return 0;
}

template <typename T>
void append(std::string& bytes, T value) {
  bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
}

template <typename T>
T take(const char*& from) {
  T value{};
  std::memcpy(&value, from, sizeof value);
  from += sizeof value;
  return value;
}

uint64_t sizeOf(int fd) {
  struct stat s {};
  return ::fstat(fd, &s) == 0 && S_ISREG(s.st_mode) ? static_cast<uint64_t>(s.st_size) : 0;
}

struct Read {
  TrackRecord record;
  std::shared_ptr<const TrackFile> file;
  bool complete = false;  // as many frames as it says, and nothing behind them
  uint64_t end = 0;       // behind the last whole frame
};

// As far as frames are whole and their times rise: speeds are per second between frames, a clock that stands
// still would make them infinite. Takes the descriptor. Empty when it is nothing of ours or of another key.
std::optional<Read> readTracks(int fd, const std::string& key, const fs::path& path) {
  Read read;
  Descriptor owner(fd);
  const std::string head = headOf(key);
  std::string found(head.size() + kSizeBytes, '\0');
  if (!readAt(fd, 0, found.data(), found.size()) || !found.starts_with(head)) return std::nullopt;
  const char* sizes = found.data() + head.size();
  read.record.width = take<int32_t>(sizes);
  read.record.height = take<int32_t>(sizes);
  const auto count = take<int32_t>(sizes);
  if (read.record.width < 1 || read.record.height < 1) return std::nullopt;
  owner.fd = -1;
  read.file = std::make_shared<TrackFile>(fd, read.record.width, read.record.height, path);
  const uint64_t size = sizeOf(fd);
  uint64_t at = found.size();
  auto& frames = read.record.frames;
  while (at + kFrameBytes <= size) {
    std::array<char, kFrameBytes> bytes{};
    if (!readAt(fd, at, bytes.data(), bytes.size())) break;
    const char* from = bytes.data();
    FrameTracks f;
    f.time_s = take<double>(from);
    f.sharpness = take<float>(from);
    f.cut = take<uint16_t>(from) != 0;
    const size_t pairs = take<uint16_t>(from);
    const uint64_t next = at + kFrameBytes + pairs * kPairBytes;
    if (next > size || (!frames.empty() && !(f.time_s > frames.back().time_s))) break;
    f.pairs = {read.file, at + kFrameBytes, pairs};
    frames.push_back(std::move(f));
    at = next;
  }
  read.end = at;
  read.complete = at == size && count >= 0 && frames.size() == static_cast<size_t>(count);
  return read;
}

std::string bytesOf(const FrameTracks& f, const PositionSteps& steps) {
  const std::vector<TrackPair> pairs = f.pairs.read();
  std::string bytes;
  append(bytes, f.time_s);
  append(bytes, f.sharpness);
  append(bytes, static_cast<uint16_t>(f.cut ? 1 : 0));
  append(bytes, static_cast<uint16_t>(pairs.size()));
  for (const TrackPair& p : pairs)
    for (const float v : {p.from_x, p.from_y, p.to_x, p.to_y}) append(bytes, steps.to(v));
  return bytes;
}

}  // namespace

TrackFile::TrackFile(int fd, int width, int height, fs::path path)
    : file_(fd), steps_(width, height), path_(std::move(path)) {}

std::vector<TrackPair> TrackFile::read(uint64_t at, size_t count) const {
  std::vector<uint16_t> values(count * 4);
  if (!readAt(file_.fd, at, values.data(), count * kPairBytes))
    throw Error(ErrorKind::Unreadable, "Kept tracks cannot be read any more", path_.string(), "",
                "Check the disk and analyse the clip again");
  std::vector<TrackPair> pairs(count);
  for (size_t i = 0; i < count; ++i)
    pairs[i] = {steps_.from(values[4 * i]), steps_.from(values[4 * i + 1]), steps_.from(values[4 * i + 2]),
                steps_.from(values[4 * i + 3])};
  return pairs;
}

TrackWriter::TrackWriter(const TrackPlace& place, int width, int height, Earlier earlier)
    : place_(place), found_{width, height, {}}, steps_(width, height) {
  if (!place.file.empty() && open(place.file.string() + ".part", earlier)) return;
  if (openNameless()) begin();
}

// False where something else stands there, or another analysis holds it.
bool TrackWriter::open(const fs::path& path, Earlier earlier) {
  std::error_code code;
  fs::create_directories(path.parent_path(), code);
  const int fd = ::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NONBLOCK, 0644);
  if (fd < 0) return false;
  auto file = std::make_shared<TrackFile>(fd, found_.width, found_.height, path);
  struct stat opened {};
  const bool regular = ::fstat(fd, &opened) == 0 && S_ISREG(opened.st_mode);
  if (!regular || ::flock(fd, LOCK_EX | LOCK_NB) != 0) return false;
  // Whoever held it before may have given it its name just now.
  if (identityOf(path) != FileIdentity{opened.st_dev, opened.st_ino}) return false;
  unfinished_ = path;
  file_ = std::move(file);
  if (earlier == Earlier::Forget || !goOnBehindEarlier()) begin();
  return file_ != nullptr;
}

bool TrackWriter::goOnBehindEarlier() {
  const int again = ::fcntl(file_->fd(), F_DUPFD_CLOEXEC, 0);
  if (again < 0) return false;
  auto before = readTracks(again, place_.key, unfinished_);
  if (!before || before->record.width != found_.width || before->record.height != found_.height) return false;
  if (before->record.frames.size() < 2) return false;
  if (::ftruncate(file_->fd(), static_cast<off_t>(before->end)) != 0) return false;
  found_ = std::move(before->record);
  end_ = before->end;
  count_ = static_cast<int32_t>(found_.frames.size());
  return true;
}

bool TrackWriter::openNameless() {
  std::error_code code;
  const fs::path folder = fs::temp_directory_path(code);
  const fs::path path = unfinishedName(code ? "/tmp" : folder, ".tracks");
  const int fd = ::open(path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
  if (fd < 0) return false;
  ::unlink(path.c_str());
  file_ = std::make_shared<TrackFile>(fd, found_.width, found_.height, path);
  return true;
}

void TrackWriter::begin() {
  if (::ftruncate(file_->fd(), 0) != 0) return drop();
  std::string bytes = headOf(place_.key);
  append(bytes, static_cast<int32_t>(found_.width));
  append(bytes, static_cast<int32_t>(found_.height));
  append(bytes, kUnfinished);
  put(bytes);
}

void TrackWriter::put(const std::string& bytes) {
  if (writeAt(file_->fd(), end_, bytes) != 0) return drop();
  end_ += bytes.size();
}

FrameTracks TrackWriter::add(FrameTracks frame) {
  if (!file_) return frame;
  const std::shared_ptr<const TrackFile> file = file_;
  const uint64_t at = end_ + kFrameBytes;
  put(bytesOf(frame, steps_));
  if (!file_) return frame;
  ++count_;
  const size_t pairs = frame.pairs.size();
  frame.pairs = {file, at, pairs};
  return frame;
}

void TrackWriter::finish() {
  if (place_.file.empty()) return;
  int code = ENOSPC;
  if (file_ && !unfinished_.empty()) {
    std::string count;
    append(count, count_);
    const uint64_t at = headOf(place_.key).size() + kSizeBytes - sizeof count_;
    code = writeAt(file_->fd(), at, count);
    if (code == 0 && ::fsync(file_->fd()) != 0) code = errno;
    if (code == 0 && ::rename(unfinished_.c_str(), place_.file.c_str()) != 0) code = errno;
  }
  if (code == 0) return;
  drop();
  throw Error(ErrorKind::Unwritable, "Cannot keep the tracks", place_.file.string(), std::strerror(code),
              "Free some space and check the folder's permissions");
}

void TrackWriter::drop() noexcept {
  if (!unfinished_.empty()) ::unlink(unfinished_.c_str());
  unfinished_.clear();
  file_ = nullptr;
}

}  // namespace detail

std::vector<TrackPair> TrackPairs::read() const {
  std::vector<TrackPair> all = file_ ? file_->read(at_, stored_) : own_;
  if (kept_.empty()) return all;
  std::vector<TrackPair> some;
  for (size_t i = 0; i < all.size(); ++i)
    if (kept_[i]) some.push_back(all[i]);
  return some;
}

TrackPairs TrackPairs::only(std::vector<bool> kept) const {
  TrackPairs some = *this;
  if (some.kept_.empty()) {
    some.kept_ = std::move(kept);
  } else {
    size_t next = 0;
    for (size_t i = 0; i < some.kept_.size(); ++i)
      if (some.kept_[i]) some.kept_[i] = kept[next++];
  }
  some.count_ = static_cast<size_t>(std::count(some.kept_.begin(), some.kept_.end(), true));
  return some;
}

void saveTracks(const TrackRecord& record, const TrackPlace& place) {
  detail::TrackWriter writer(place, record.width, record.height, detail::TrackWriter::Earlier::Forget);
  for (const FrameTracks& f : record.frames) writer.add(f);
  writer.finish();
}

std::optional<TrackRecord> loadTracks(const TrackPlace& place) {
  const int fd = ::open(place.file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (fd < 0) return std::nullopt;
  auto read = detail::readTracks(fd, place.key, place.file);
  if (!read || !read->complete) return std::nullopt;
  return std::move(read->record);
}

}  // namespace glenhaze
