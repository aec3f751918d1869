#include "core/base/json_text.h"

#include <charconv>
#include <stdexcept>

#include "core/base/files.h"
#include "core/base/utf8.h"

template class nlohmann::basic_json<>;

namespace glenhaze {

using nlohmann::json;

namespace {

constexpr std::string_view kScheme = "file:";

bool staysAsItIs(unsigned char c) {
  return (c >= '0' && c <= '9') || (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z') ||
         std::string_view("-._~/").find(static_cast<char>(c)) != std::string_view::npos;
}

}  // namespace

json parseJson(std::string_view text) {
  bool too_deep = false;
  // Answering false drops what is nested deeper, so that nothing deep is ever built.
  const auto held = [&too_deep](int depth, json::parse_event_t, json&) {
    too_deep = too_deep || depth > kJsonDepth;
    return !too_deep;
  };
  json value = json::parse(text.begin(), text.end(), held);
  if (too_deep) throw std::invalid_argument("it is nested more than " + std::to_string(kJsonDepth) + " deep");
  return value;
}

json parseJsonOrNull(std::string_view text) {
  try {
    return parseJson(text);
  } catch (const std::exception&) {
    return nullptr;
  }
}

std::string jsonText(const json& value, int indent) {
  return value.dump(indent, ' ', false, json::error_handler_t::replace);
}

namespace {

// Percent-encoded as in RFC 3986.
std::string encoded(const std::string& name) {
  constexpr std::string_view kDigits = "0123456789ABCDEF";
  std::string text;
  for (const char ch : name) {
    const auto c = static_cast<unsigned char>(ch);
    if (staysAsItIs(c)) {
      text += ch;
    } else {
      text += '%';
      text += kDigits[c >> 4];
      text += kDigits[c & 15];
    }
  }
  return text;
}

}  // namespace

std::string pathToText(const std::filesystem::path& path) {
  const std::string& name = path.native();
  if (isUtf8(name) && !name.starts_with(kScheme)) return name;
  return std::string(kScheme) + encoded(name);
}

std::string fileUrl(const std::filesystem::path& path) {
  return std::string(kScheme) + "//" + encoded(std::filesystem::absolute(path).native());
}

std::filesystem::path pathFromText(const std::string& text) {
  if (!text.starts_with(kScheme)) return text;
  std::string name;
  for (size_t i = kScheme.size(); i < text.size(); ++i) {
    unsigned byte = 0;
    const char* digits = text.data() + i + 1;
    if (text[i] == '%' && i + 2 < text.size() &&
        std::from_chars(digits, digits + 2, byte, 16).ptr == digits + 2) {
      name += static_cast<char>(byte);
      i += 2;
    } else {
      name += text[i];
    }
  }
  return name;
}

}  // namespace glenhaze
