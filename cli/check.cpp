// arvesk-run check: faults of plans and assets.
#include "cli/runner.h"
#include "core/base/pattern.h"
#include "core/plan/prop_check.h"
#include "core/plan/prop_making.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <filesystem>

namespace arvesk::cli {
namespace {

struct Checked {
  nlohmann::json facts = nlohmann::json::object();
  std::vector<Problem> problems;
};

/// What the file says and this version does not know, with the name that was probably meant.
void tellUnknown(const Plan& plan, std::vector<Problem>& problems) {
  const auto tell = [&](const std::string& where, const char* what, const std::string& name,
                        const std::vector<std::string>& known) {
    const std::string nearest = nearestName(name, known);
    problems.push_back({ProblemCode::BadParameter, Severity::Warning, where,
                        fmt::format("there is no {} \"{}\"", what, name),
                        nearest.empty() ? "It is kept in the file and does nothing"
                                        : fmt::format("Is \"{}\" meant? As it is, it does nothing", nearest)});
  };
  const auto keysOf = [](const std::string& object) {
    return object.empty() ? nlohmann::json::object() : nlohmann::json::parse(object);
  };
  const auto tellNode = [&](const Node& node) {
    const NodeKind* kind = kindOf(node);
    if (!kind) return;
    std::vector<std::string> params;
    for (const ParamSpec& spec : kind->params) params.push_back(spec.id);
    std::vector<std::string> inputs;
    for (const InputSpec& spec : kind->inputs) inputs.push_back(spec.id);
    const nlohmann::json unknown = keysOf(node.unknown);
    for (const auto& [key, value] : unknown.items())
      if (key == "params")
        for (const auto& [param, ignored] : value.items()) tell(node.title, "parameter", param, params);
      else
        tell(node.title, "key", key,
             {"uid", "kind", "version", "title", "params", "inputs", "follows", "keys", "seed", "of", "inside"});
    for (const auto& [input, links] : node.inputs)
      if (!kind->findInput(input)) tell(node.title, "input", input, inputs);
  };
  for (const Node& node : plan.nodes) tellNode(node);
  for (const SubPlan& s : plan.subPlans) {
    for (const Node& node : s.nodes) tellNode(node);
    for (const auto& [key, value] : keysOf(s.unknown).items())
      tell(s.name, "setting of a sub-plan", key,
           {"name", "sentence", "help", "author", "license", "tags", "category", "news", "version", "fronts", "checks",
            "nodes", "paper"});
    for (const FrontControl& control : s.fronts)
      for (const auto& [key, value] : keysOf(control.unknown).items())
        tell(fmt::format("{} of {}", control.label, s.name), "setting of a front control", key,
             {"id", "type", "label", "help", "group", "unit", "least", "most", "usual_least", "usual_most", "step",
              "options", "form", "file_kind", "shown_by", "shown_for", "usual"});
  }
  for (const PropEntry& prop : plan.props) {
    const nlohmann::json unknown = keysOf(prop.unknown);
    for (const auto& [key, value] : unknown.items())
      tell(prop.name, "setting of a prop", key,
           {"file",          "part_by",       "part",         "light_file",     "unit_scale", "z_up",
            "pivot",         "common_height", "size",         "large",          "turn",       "footprint",
            "base",          "weight",        "tags",         "crease",         "massing",    "massing_triangles",
            "massing_shown", "mounts",        "by_reference", "delivered_file", "values"});
  }
}

/// Without the full stop, which toLine() sets.
std::string plainOf(std::string message) {
  if (message.ends_with('.')) message.pop_back();
  return message;
}

/// What is odd about the props, as the Kit says it.
void tellOfProps(const Plan& plan, FileService& files, std::vector<Problem>& problems) {
  for (const PropEntry& entry : plan.props) {
    std::vector<Problem> repairs;
    const auto file = files.surface(entry.file, {}, repairs);
    for (Problem& p : repairs)
      if (p.severity != Severity::Note) {
        p.where = entry.name;
        problems.push_back(std::move(p));
      }
    PropEntry shape = entry;
    shape.values.clear();  // the evaluation made and told them
    const auto prop = file ? makePlanProp(shape, **file) : Result<PropPtr>(Failure(file.error()));
    if (!prop) continue;  // told by the evaluation
    for (const PropWarning& w : warningsOf(entry, **file, **prop))
      problems.push_back({ProblemCode::WrongInput, Severity::Warning, entry.name, plainOf(w.message), w.fix});
  }
}

/// The document, and what a draft of it says: what fails, names that match nothing, files and props that are missing.
Checked checkPlanFile(const std::string& path) {
  Checked out;
  auto session = Session::open(path);
  if (!session) {
    out.problems.push_back(session.error());
    return out;
  }
  const Plan& plan = session->plan();
  out.problems = checkPlan(plan);
  tellUnknown(plan, out.problems);
  if (auto ok = session->evaluate(Quality::Draft); !ok) out.problems.push_back(ok.error());
  for (const Problem& p : session->problems()) {
    const bool isKnown = std::any_of(out.problems.begin(), out.problems.end(), [&](const Problem& other) {
      return other.where == p.where && other.message == p.message;
    });
    if (!isKnown && p.severity != Severity::Note && p.code != ProblemCode::Waiting) out.problems.push_back(p);
  }
  tellOfProps(plan, session->files(), out.problems);
  out.facts = {{"nodes", plan.nodes.size()}, {"props", plan.props.size()}};
  const auto tellCount = [&](const char* what, bool (*is)(const PropEntry&)) {
    if (const auto n = std::count_if(plan.props.begin(), plan.props.end(), is); n > 0) out.facts[what] = n;
  };
  tellCount("parts of files", [](const PropEntry& p) { return p.partBy != PartBy::Whole; });
  tellCount("with a light file", [](const PropEntry& p) { return !p.lightFile.empty(); });
  tellCount("with values", [](const PropEntry& p) { return !p.values.empty(); });
  tellCount("by reference", [](const PropEntry& p) { return p.isByReference; });
  return out;
}

Checked checkVolumes(const std::string& path) {
  Checked out;
  DiskFileService files("");
  const auto file = files.volumes(std::filesystem::absolute(path).string(), {}, out.problems);
  if (!file) {
    out.problems.push_back(file.error());
    return out;
  }
  nlohmann::json grids = nlohmann::json::array();
  for (const VolumeGrid& g : (*file)->grids) {
    nlohmann::json grid = {{"name", g.name},
                           {"holds", g.density ? "density" : "distance"},
                           {"voxels", g.voxels},
                           {"voxel size", g.voxelSize}};
    if (!g.bounds.isEmpty()) {
      grid["lowest"] = {g.bounds.min.x, g.bounds.min.y, g.bounds.min.z};
      grid["highest"] = {g.bounds.max.x, g.bounds.max.y, g.bounds.max.z};
    }
    if (g.density) grid["most"] = g.density->most();
    if (g.skin) grid["triangles"] = g.skin->faceCount();
    grids.push_back(std::move(grid));
  }
  out.facts = {{"grids", grids}};
  return out;
}

Checked checkAsset(const std::string& path) {
  if (std::filesystem::path(path).extension() == ".vdb") return checkVolumes(path);
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
  PropEntry plain;
  plain.name = std::filesystem::path(path).filename().string();
  const auto prop = makePlanProp(plain, s);
  if (prop)
    for (const PropWarning& w : warningsOf(plain, s, **prop))
      out.problems.push_back({ProblemCode::WrongInput, Severity::Warning, plain.name, plainOf(w.message), {}});
  else if (prop.error().code == ProblemCode::UnlikelySize)  // as a prop; as a ground it may be right
    out.problems.push_back({ProblemCode::UnlikelySize, Severity::Warning, plain.name,
                            "as a prop it " + prop.error().message, prop.error().advice});
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
  CLI::App* sub = app.add_subcommand(
      "check", "Faults of plans and assets; for a mesh parts, triangles, bounds and repairs, for a VDB file its grids");
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
