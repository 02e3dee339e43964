#include "core/formats/read_files.h"

#include "core/formats/sandbox.h"

#include <xxhash.h>

#include <algorithm>
#include <filesystem>
#include <fstream>

namespace arvesk {
namespace {

namespace fs = std::filesystem;

bool isFile(const fs::path& path) {
  std::error_code error;
  return fs::is_regular_file(path, error);
}

bool isSameButForCase(const std::string& a, const std::string& b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](unsigned char x, unsigned char y) { return std::tolower(x) == std::tolower(y); });
}

/// Folder by folder, the first name in order that is the same but for its case.
std::optional<fs::path> inAnyCase(const fs::path& path) {
  fs::path found = path.is_absolute() ? path.root_path() : fs::path(".");
  for (const fs::path& part : path.relative_path()) {
    std::error_code error;
    if (part == "." || part == ".." || fs::exists(found / part, error)) {
      found /= part;
      continue;
    }
    std::vector<std::string> names;
    for (fs::directory_iterator it(found, error), end; !error && it != end; it.increment(error))
      if (isSameButForCase(it->path().filename().string(), part.string()))
        names.push_back(it->path().filename().string());
    if (names.empty()) return std::nullopt;
    found /= *std::min_element(names.begin(), names.end());
  }
  return found;
}

}  // namespace

std::string pathOfUri(const std::string& text) {
  const auto digit = [](char c) {
    return c >= '0' && c <= '9'   ? c - '0'
           : c >= 'a' && c <= 'f' ? c - 'a' + 10
           : c >= 'A' && c <= 'F' ? c - 'A' + 10
                                  : -1;
  };
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const bool isEscape = text[i] == '%' && i + 2 < text.size() && digit(text[i + 1]) >= 0 && digit(text[i + 2]) >= 0;
    out += isEscape ? static_cast<char>(digit(text[i + 1]) * 16 + digit(text[i + 2])) : text[i];
    if (isEscape) i += 2;
  }
  return out;
}

std::uint64_t hashOfFile(const std::string& path) {
  if (!isFile(path)) return 0;
  std::ifstream in(path, std::ios::binary);
  if (!in) return 0;
  XXH3_state_t* state = XXH3_createState();
  XXH3_64bits_reset(state);
  std::vector<char> block(1 << 20);
  while (in) {
    in.read(block.data(), static_cast<std::streamsize>(block.size()));
    XXH3_64bits_update(state, block.data(), static_cast<std::size_t>(in.gcount()));
  }
  const std::uint64_t hash = XXH3_64bits_digest(state);
  XXH3_freeState(state);
  return std::max<std::uint64_t>(hash, 1);
}

void ReadFiles::note(const std::string& path) {
  const std::string plain = fs::absolute(path).lexically_normal().string();
  const auto isIt = [&](const ReadFile& f) { return f.path == plain; };
  if (std::none_of(m_files.begin(), m_files.end(), isIt))
    m_files.push_back({plain, isAllowed(plain) ? hashOfFile(plain) : kNotAllowed});
}

bool ReadFiles::isAllowed(const std::string& path) const { return !m_allowed || isWithin(path, *m_allowed); }

std::optional<std::string> ReadFiles::find(const std::string& path) {
  note(path);  // even if another stands in for it: it may come
  if (!isAllowed(path)) return std::nullopt;
  if (isFile(path)) return path;
  std::string slashed = path;
  std::replace(slashed.begin(), slashed.end(), '\\', '/');
  for (const std::string& name : {slashed, pathOfUri(slashed)})
    if (const auto found = inAnyCase(fs::path(name).lexically_normal()); found && isFile(*found)) {
      note(found->string());
      if (!isAllowed(found->string())) continue;
      return found->string();
    }
  return std::nullopt;
}

Result<std::vector<ReadFile>> ReadFiles::finished() const {
  for (const ReadFile& f : m_files)
    if (f.hash != kNotAllowed && hashOfFile(f.path) != f.hash)
      return fail(ProblemCode::FileUnreadable, "was written to while it was read",
                  "It is read again when it has settled", f.path);
  return m_files;
}

}  // namespace arvesk
