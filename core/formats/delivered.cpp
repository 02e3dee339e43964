#include "core/formats/delivered.h"

#include "core/base/hash.h"
#include "core/formats/read_files.h"
#include "core/formats/sidecars.h"

#include <fmt/format.h>
#include <glm/gtc/matrix_transform.hpp>

#include <algorithm>
#include <charconv>
#include <filesystem>
#include <fstream>

namespace arvesk::exporters {
namespace {

namespace fs = std::filesystem;

void warn(ExportReport& report, std::string message, std::string advice) {
  const Problem problem{ProblemCode::WrongInput, Severity::Warning, {}, std::move(message), std::move(advice)};
  for (const Problem& p : report.warnings)
    if (p.message == problem.message) return;  // once, however many outputs use the prop
  report.warnings.push_back(problem);
}

bool isUsd(const std::string& path) {
  std::string ending = fs::path(path).extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](char c) { return static_cast<char>(std::tolower(static_cast<unsigned char>(c))); });
  return ending == ".usda" || ending == ".usd" || ending == ".usdc" || ending == ".usdz";
}

/// What the head of a USD text file says of all of it.
struct UsdHead {
  double metersPerUnit = 0.01;  // as USD means it where nothing is said
  bool saysUnit = false;
  bool isZUp = false;
  bool hasDefault = false;
  std::string firstPrim;
};

/// Nothing where the file is no text.
std::optional<UsdHead> headOf(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::string text(std::size_t{1} << 16, '\0');
  in.read(text.data(), static_cast<std::streamsize>(text.size()));
  text.resize(static_cast<std::size_t>(std::max<std::streamsize>(in.gcount(), 0)));
  if (!text.starts_with("#usda")) return std::nullopt;
  UsdHead out;
  const std::size_t body = std::min(text.find("\ndef"), text.size());
  const std::string_view head = std::string_view(text).substr(0, body);
  const auto valueOf = [&](std::string_view key) -> std::string_view {
    const std::size_t at = head.find(key);
    if (at == std::string_view::npos) return {};
    const std::size_t equals = head.find('=', at);
    if (equals == std::string_view::npos) return {};
    std::string_view value = head.substr(equals + 1, head.find('\n', equals) - equals - 1);
    while (!value.empty() && (value.front() == ' ' || value.front() == '"')) value.remove_prefix(1);
    return value.substr(0, value.find_first_of("\" \r"));
  };
  if (const std::string_view unit = valueOf("metersPerUnit"); !unit.empty()) {
    double v = 0;
    std::from_chars(unit.data(), unit.data() + unit.size(), v);
    if (v > 0 && std::isfinite(v)) {
      out.metersPerUnit = v;
      out.saysUnit = true;
    }
  }
  out.isZUp = valueOf("upAxis") == "Z";
  out.hasDefault = !valueOf("defaultPrim").empty();
  if (body < text.size()) {
    const std::size_t open = text.find('"', body);
    const std::size_t close = open == std::string::npos ? open : text.find('"', open + 1);
    if (close != std::string::npos) out.firstPrim = text.substr(open + 1, close - open - 1);
  }
  return out;
}

glm::dmat4 sized(double by) { return glm::scale(glm::dmat4(1), DVec3(by)); }
glm::dmat4 turned(const Quat& q) { return glm::mat4_cast(glm::dquat(q)); }

Result<void> copyFile(const std::string& from, const std::string& to, const Task& task) {
  std::error_code fault;
  fs::create_directories(fs::path(to).parent_path(), fault);
  if (fs::exists(to, fault) && hashOfFile(to) == hashOfFile(from)) return {};
  std::ifstream in(from, std::ios::binary);
  if (!in) return fail(ProblemCode::FileMissing, "cannot be read to be copied", "Look at its rights", from);
  SafeFile out(to);
  std::string block(std::size_t{1} << 20, '\0');
  while (in && !task.isCancelled()) {
    in.read(block.data(), static_cast<std::streamsize>(block.size()));
    out.write(block.data(), static_cast<std::size_t>(std::max<std::streamsize>(in.gcount(), 0)));
  }
  if (task.isCancelled()) return Failure(cancelled());
  if (in.bad()) return fail(ProblemCode::FileUnreadable, "could not be read to its end", "Try again", from);
  return out.commit();
}

}  // namespace

Result<Delivered> deliveredOf(const Prop& prop, Job& job) {
  const Delivery& by = *prop.delivery;
  Delivered out;
  if (job.options.filesOf) {
    const std::vector<std::string> files = job.options.filesOf(by.file);
    if (!files.empty()) {
      out.path = files.front();
      out.beside.assign(files.begin() + 1, files.end());
    }
  }
  if (out.path.empty()) out.path = by.file;
  std::error_code fault;
  if (!fs::is_regular_file(out.path, fault))
    return fail(ProblemCode::FileMissing,
                fmt::format("{} is to be delivered by {}, which is not there", prop.name, by.file),
                "Name another file in the Kit, or deliver its geometry", job.path);
  glm::dmat4 inMeters = turned(by.axes) * sized(static_cast<double>(by.unit));
  if (!by.isOwn) {
    inMeters = glm::dmat4(1);
    if (isUsd(out.path)) {
      const auto head = headOf(out.path);
      if (!head) {
        warn(
            job.report,
            fmt::format("the unit and the up axis of {} could not be read; it is taken to be in meters, Y up", by.file),
            "Look whether it stands as large as it should");
      } else {
        inMeters = turned(head->isZUp ? glm::angleAxis(-kPi / 2, Vec3(1, 0, 0)) : Quat(1, 0, 0, 0)) *
                   sized(head->metersPerUnit);
        if (!head->saysUnit)
          warn(job.report, fmt::format("{} says no unit, which USD takes for centimeters", by.file),
               "Write metersPerUnit into it");
      }
    }
  }
  if (isUsd(out.path))
    if (const auto head = headOf(out.path); head && !head->hasDefault) out.prim = head->firstPrim;
  out.toProp = glm::translate(glm::dmat4(1), DVec3(by.position)) * turned(by.turn) *
               sized(static_cast<double>(by.size)) * inMeters;
  if (job.path.ends_with(".usda") && !isUsd(out.path))
    warn(job.report, fmt::format("readers of USD open {} only where they have an extension for such files", by.file),
         "Name a .usd file for it in the Kit");
  return out;
}

std::string pathFrom(const std::string& exportPath, const std::string& file) {
  std::error_code fault;
  const fs::path folder = fs::weakly_canonical(fs::absolute(exportPath, fault).parent_path(), fault);
  const fs::path target = fs::weakly_canonical(file, fault);
  const fs::path near = target.lexically_relative(folder);
  std::string out = (near.empty() ? target : near).generic_string();
  return out.starts_with(".") || out.starts_with("/") ? out : "./" + out;
}

AssetFolder::AssetFolder(Job& job) : m_job(job), m_name(fs::path(job.path).stem().string() + "_assets") {}

AssetFolder::~AssetFolder() {
  if (m_isKept) return;
  std::error_code fault;
  for (const std::string& file : m_made) {
    fs::remove(file, fault);
    // Folders that are empty now; those of others are not.
    const fs::path root = fs::path(m_job.path).parent_path();
    for (fs::path at = fs::path(file).parent_path(); at != root && fs::remove(at, fault);) at = at.parent_path();
  }
}

Result<std::string> AssetFolder::copy(const Prop& prop, const Delivered& what) {
  std::vector<fs::path> files{what.path};
  std::error_code fault;
  for (const std::string& side : what.beside)
    if (fs::is_regular_file(side, fault)) files.emplace_back(side);
  std::uint64_t key = hashText(prop.name);
  for (const fs::path& f : files) key = hashOf(key, hashOfFile(f.string()));
  if (isUsd(what.path))
    warn(m_job.report, fmt::format("what {} reads besides is not known here and was not copied", prop.delivery->file),
         "Copy its textures and layers into the folder yourself, or deliver one file that holds all");
  // The folder that holds all of them, so that the file finds them as before.
  fs::path common = files.front().parent_path();
  for (const fs::path& f : files)
    while (!common.empty() && common != common.root_path()) {
      const fs::path near = f.lexically_relative(common);
      if (!near.empty() && *near.begin() != "..") break;
      common = common.parent_path();
    }
  std::string title;
  for (const char c : prop.name.substr(0, 80))
    title += std::isalnum(static_cast<unsigned char>(c)) || c == '-' ? c : '_';
  const std::string name = fmt::format("{}-{:016x}", title, key);
  m_assets.push_back(name);
  const fs::path within = fs::path(m_name) / name;
  for (const fs::path& f : files) {
    const fs::path to = fs::path(m_job.path).parent_path() / within / f.lexically_relative(common);
    if (!fs::exists(to, fault)) m_made.push_back(to.string());
    if (auto ok = copyFile(f.string(), to.string(), m_job.task); !ok) return Failure(ok.error());
    std::vector<std::string>& told = m_job.report.files;
    if (std::find(told.begin(), told.end(), to.string()) == told.end()) told.push_back(to.string());
  }
  return (within / files.front().lexically_relative(common)).generic_string();
}

void AssetFolder::keep() {
  m_isKept = true;
  std::error_code fault;
  const fs::path folder = fs::path(m_job.path).parent_path() / m_name;
  std::vector<fs::path> old;
  for (fs::directory_iterator it(folder, fault), end; !fault && it != end; it.increment(fault)) {
    const std::string name = it->path().filename().string();
    const std::size_t dash = name.rfind('-');
    const bool isOurs = dash != std::string::npos && name.size() - dash == 17 &&
                        name.find_first_not_of("0123456789abcdef", dash + 1) == std::string::npos;
    if (isOurs && std::find(m_assets.begin(), m_assets.end(), name) == m_assets.end()) old.push_back(it->path());
  }
  for (const fs::path& path : old) fs::remove_all(path, fault);
  fs::remove(folder, fault);  // only when it is empty
}

Placing placingOf(const glm::dmat4& m) {
  Placing out;
  out.position = DVec3(m[3]);
  out.size = glm::length(DVec3(m[0]));
  out.turn = glm::normalize(glm::quat_cast(glm::dmat3(m) / out.size));
  return out;
}

}  // namespace arvesk::exporters
