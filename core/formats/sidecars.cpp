#include "core/formats/sidecars.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

namespace arvesk::exporters {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kHashDigits = 16;
constexpr std::size_t kLongestStem = 120;  // bytes; names of files have 255 at most

/// What no format has a second meaning for, and a name of a file can hold. Not cut in the middle of a character of
/// UTF-8.
std::string plain(std::string stem) {
  for (char& c : stem)
    if (static_cast<unsigned char>(c) <= 0x20 || c == 0x7f ||
        std::string_view("\"'\\/@%?#*:<>|&;$`").find(c) != std::string_view::npos)
      c = '_';
  if (stem.size() <= kLongestStem) return stem;
  std::size_t end = kLongestStem;
  while (end > 0 && (static_cast<unsigned char>(stem[end]) & 0xC0U) == 0x80U) --end;
  stem.resize(end);
  return stem;
}

}  // namespace

Sidecars::Sidecars(const std::string& main, bool isInFolder, std::vector<std::string> endings)
    : m_stem(plain(fs::path(main).stem().string())), m_endings(std::move(endings)) {
  fs::path parent = fs::path(main).parent_path();
  if (isInFolder) {
    parent /= m_stem + "_files";
    m_within = m_stem + "_files/";
  }
  m_folder = parent.string();
}

Sidecars::~Sidecars() {
  if (m_isKept) return;
  std::error_code fault;
  for (const std::string& path : m_made) fs::remove(path, fault);
  if (m_madeFolder) fs::remove(m_folder, fault);  // only when it is empty
}

Result<std::string> Sidecars::add(const std::string& title, const std::string& ending, std::string_view content) {
  return add(title, ending, [&](SafeFile& file) -> Result<void> {
    file.write(content.data(), content.size());
    return {};
  });
}

Result<std::string> Sidecars::add(const std::string& title, const std::string& ending,
                                  const std::function<Result<void>(SafeFile&)>& write) {
  std::error_code fault;
  if (!m_within.empty() && fs::create_directories(m_folder, fault)) m_madeFolder = true;
  const fs::path folder = m_folder;
  SafeFile file((folder / (m_stem + ending)).string(), SafeFile::Naming::Later);
  if (auto ok = write(file); !ok) return Failure(ok.error());
  const std::string name = nameOf(title, ending, file.hash());
  const std::string path = (folder / fs::path(name).filename()).string();
  if (std::find(m_files.begin(), m_files.end(), path) == m_files.end()) {
    // Also where one of this name stands already: that it is whole is sure only now.
    const bool isNew = !fs::exists(path, fault);
    if (auto ok = file.commitAs(path); !ok) return Failure(ok.error());
    if (isNew) m_made.insert(path);
    m_files.push_back(path);
  }
  return name;
}

std::string Sidecars::nameOf(const std::string& title, const std::string& ending, std::uint64_t hash) const {
  return fmt::format("{}{}-{:016x}{}", m_within, m_within.empty() ? m_stem : plain(title), hash, ending);
}

bool Sidecars::isOurs(const std::string& name) const {
  const auto ending = std::find_if(m_endings.begin(), m_endings.end(),
                                   [&](const std::string& e) { return name.ends_with(e); });
  if (ending == m_endings.end() || name.size() < ending->size() + kHashDigits + 1) return false;
  const std::size_t from = name.size() - ending->size() - kHashDigits;
  if (name[from - 1] != '-' ||
      name.substr(from, kHashDigits).find_first_not_of("0123456789abcdef") != std::string::npos)
    return false;
  // Beside the main file there may be those of others.
  return !m_within.empty() || name.substr(0, from - 1) == m_stem;
}

void Sidecars::keep() {
  m_isKept = true;
  std::error_code fault;
  const fs::path folder = m_folder.empty() ? fs::path(".") : fs::path(m_folder);
  std::vector<fs::path> old;
  for (fs::directory_iterator it(folder, fault), end; !fault && it != end; it.increment(fault)) {
    const std::string name = it->path().filename().string();
    const std::string path = (fs::path(m_folder) / name).string();
    if (isOurs(name) && std::find(m_files.begin(), m_files.end(), path) == m_files.end()) old.push_back(it->path());
  }
  for (const fs::path& path : old) fs::remove(path, fault);
}

std::string uriOf(std::string_view path) {
  std::string out;
  for (const char c : path) {
    const bool isPlain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                         std::string_view("-._~/").find(c) != std::string_view::npos;
    if (isPlain)
      out += c;
    else
      out += fmt::format("%{:02X}", static_cast<unsigned char>(c));
  }
  return out;
}

}  // namespace arvesk::exporters
