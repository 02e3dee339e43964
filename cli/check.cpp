// arvesk-run check: faults of plans and assets.
#include "cli/runner.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <filesystem>

namespace arvesk::cli {
namespace {

struct Checked {
  nlohmann::json facts = nlohmann::json::object();
  std::vector<Problem> problems;
};

Checked checkPlanFile(const std::string& path) {
  Checked out;
  const auto plan = loadPlan(path);
  if (!plan) {
    out.problems.push_back(plan.error());
    return out;
  }
  out.problems = checkPlan(*plan);
  DiskFileService files(std::filesystem::path(path).parent_path().string());
  for (const PropEntry& prop : plan->props)
    if (const auto key = files.contentKey(prop.file); !key) out.problems.push_back(key.error());
  out.facts = {{"nodes", plan->nodes.size()}, {"props", plan->props.size()}};
  return out;
}

Checked checkAsset(const std::string& path) {
  Checked out;
  DiskFileService files("");
  const auto full = std::filesystem::absolute(path).string();
  const auto surface = files.surface(full, {}, out.problems);
  if (!surface) {
    // What is no mesh may be an image.
    if (const auto image = files.image(full, {})) {
      out.facts = {{"width", (*image)->width},
                   {"height", (*image)->height},
                   {"channels", (*image)->channels},
                   {"bits", (*image)->bitsPerChannel}};
      out.problems.clear();
    } else {
      out.problems.push_back(surface.error());
    }
    return out;
  }
  const Surface& s = **surface;
  const Box3 box = s.bounds();
  out.facts = {{"parts", s.parts},
               {"triangles", s.faceCount()},
               {"vertices", s.positions.size()},
               {"materials", s.materials.size()},
               {"lowest", {box.min.x, box.min.y, box.min.z}},
               {"highest", {box.max.x, box.max.y, box.max.z}}};
  return out;
}

}  // namespace

void addCheck(CLI::App& app, int& status) {
  struct Options {
    std::vector<std::string> paths;
    bool isJson = false;
  };
  auto options = std::make_shared<Options>();
  CLI::App* sub = app.add_subcommand("check",
                                     "Faults of plans and assets; for a mesh parts, triangles, bounds and repairs");
  sub->add_option("files", options->paths, "Plans and assets")->required();
  sub->add_flag("--json", options->isJson, "As JSON");
  sub->callback([options, &status] {
    status = kDone;
    nlohmann::json all = nlohmann::json::array();
    for (const std::string& path : options->paths) {
      const Checked checked = std::filesystem::path(path).extension() == ".arvesk" ? checkPlanFile(path)
                                                                                   : checkAsset(path);
      nlohmann::json problems = nlohmann::json::array();
      for (const Problem& p : checked.problems) {
        problems.push_back(toLine(p));
        if (p.severity == Severity::Error) status = kProblem;
        if (!options->isJson) printProblem(p);
      }
      all.push_back({{"file", path}, {"facts", checked.facts}, {"problems", problems}});
      if (!options->isJson)
        fmt::print("{}: {} {}\n", path,
                   checked.problems.empty() ? "fine" : fmt::format("{} to look at", checked.problems.size()),
                   checked.facts.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
    }
    if (options->isJson) fmt::print("{}\n", all.dump(2, ' ', false, nlohmann::json::error_handler_t::replace));
  });
}

}  // namespace arvesk::cli
