#include "core/profile/bundle.h"

#include <archive.h>
#include <archive_entry.h>

#include <array>
#include <memory>
#include <set>

#include "core/base/error.h"
#include "core/base/files.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

constexpr int64_t kLargest = 64 << 20;  // bytes of one profile, far more than any has
constexpr int kMostProfiles = 1000;

struct WriterCloser {
  void operator()(archive* a) const { archive_write_free(a); }
};
struct ReaderCloser {
  void operator()(archive* a) const { archive_read_free(a); }
};
struct EntryFreer {
  void operator()(archive_entry* e) const { archive_entry_free(e); }
};

[[noreturn]] void fail(ErrorKind kind, const std::string& what, const fs::path& file, archive* a) {
  const char* why = archive_error_string(a);
  throw Error(kind, what, file.string(), why != nullptr ? why : "", "");
}

la_ssize_t append(archive*, void* text, const void* bytes, size_t count) {
  static_cast<std::string*>(text)->append(static_cast<const char*>(bytes), count);
  return static_cast<la_ssize_t>(count);
}

}  // namespace

void writeBundle(std::span<const fs::path> profiles, const fs::path& zip) {
  std::string bytes;
  {
    const std::unique_ptr<archive, WriterCloser> out(archive_write_new());
    archive_write_set_format_zip(out.get());
    archive_write_set_bytes_in_last_block(out.get(), 1);
    if (archive_write_open(out.get(), &bytes, nullptr, append, nullptr) != ARCHIVE_OK)
      fail(ErrorKind::Unwritable, "Cannot write the profiles", zip, out.get());
    std::set<std::string> names;
    for (const fs::path& path : profiles) {
      const std::string text = readFile(path);
      parseProfile(text, path.string());
      std::string name = path.filename().string();
      for (int n = 2; !names.insert(name).second; ++n)
        name = std::to_string(n) + "-" + path.filename().string();
      const std::unique_ptr<archive_entry, EntryFreer> entry(archive_entry_new());
      archive_entry_set_pathname(entry.get(), name.c_str());
      archive_entry_set_size(entry.get(), static_cast<la_int64_t>(text.size()));
      archive_entry_set_filetype(entry.get(), AE_IFREG);
      archive_entry_set_perm(entry.get(), 0644);
      if (archive_write_header(out.get(), entry.get()) != ARCHIVE_OK ||
          archive_write_data(out.get(), text.data(), text.size()) != static_cast<la_ssize_t>(text.size()))
        fail(ErrorKind::Unwritable, "Cannot write the profiles", zip, out.get());
    }
    if (archive_write_close(out.get()) != ARCHIVE_OK)
      fail(ErrorKind::Unwritable, "Cannot write the profiles", zip, out.get());
  }
  writeFileAtomically(zip, bytes);
}

std::vector<Profile> readBundle(const fs::path& zip) {
  const std::string bytes = readFile(zip);
  const std::unique_ptr<archive, ReaderCloser> in(archive_read_new());
  archive_read_support_format_zip(in.get());
  if (archive_read_open_memory(in.get(), bytes.data(), bytes.size()) != ARCHIVE_OK)
    fail(ErrorKind::Unreadable, "This is no .zip of profiles", zip, in.get());
  std::vector<Profile> profiles;
  archive_entry* entry = nullptr;
  int code = ARCHIVE_OK;
  while ((code = archive_read_next_header(in.get(), &entry)) == ARCHIVE_OK) {
    const char* named = archive_entry_pathname(entry);
    const std::string name = named != nullptr ? fs::path(named).filename().string() : "";
    if (!name.ends_with(kProfileEnding)) continue;
    if (std::ssize(profiles) >= kMostProfiles)
      throw Error(ErrorKind::Unreadable, "The .zip holds too much", zip.string(), "more than 1000 profiles",
                  "");
    std::string text;
    std::array<char, 1 << 16> block{};
    la_ssize_t count = 0;
    while ((count = archive_read_data(in.get(), block.data(), block.size())) > 0) {
      text.append(block.data(), static_cast<size_t>(count));
      if (std::ssize(text) > kLargest)
        throw Error(ErrorKind::Unreadable, "A profile in the .zip is too large", zip.string(), name, "");
    }
    if (count < 0) fail(ErrorKind::Unreadable, "A profile in the .zip is damaged", zip, in.get());
    profiles.push_back(parseProfile(text, zip.string() + ", " + name));
    profiles.back().path.clear();
  }
  if (code != ARCHIVE_EOF) fail(ErrorKind::Unreadable, "The .zip is damaged", zip, in.get());
  if (profiles.empty())
    throw Error(ErrorKind::Unreadable, "There is no profile in this .zip", zip.string(),
                std::string("their names end in ") + kProfileEnding, "");
  return profiles;
}

}  // namespace glenhaze
