// arvesk-run nodes: what nodes there are, and their manual, from the declarations.
#include "cli/runner.h"
#include "core/base/safe_file.h"
#include "core/deliver/manual.h"
#include "core/deliver/tool_picture.h"
#include "core/picture/render.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <filesystem>

namespace arvesk::cli {
namespace {

std::string pageOf(const LibraryTool& tool) { return std::filesystem::path(tool.file).stem().string(); }

/// Writes the manual's pages and pictures into a folder.
int writeManual(const std::string& folder, bool hasPictures, const Library& library) {
  constexpr int kWidth = 420;
  constexpr int kHeight = 240;
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  const auto put = [&](const std::string& name, const std::string& content) {
    const auto ok = writeWhole(folder + "/" + name, content);
    if (!ok) fmt::print(stderr, "error: {}\n", toLine(ok.error()));
    return ok.has_value();
  };
  std::vector<ManualEntry> more;
  for (const LibraryToolPtr& tool : library.tools) more.push_back({tool->tool().made.kind.get(), pageOf(*tool)});
  if (!put("README.md", manualIndex({}, more))) return kProblem;
  for (const NodeKind* kind : allNodeKinds()) {
    if (!put(kind->id + ".md", manualPage(*kind, true))) return kProblem;
    if (!hasPictures) continue;
    const Array<std::uint32_t> pixels = manualPicture(*kind, kWidth, kHeight, {});
    if (pixels.empty()) {
      fmt::print(stderr, "error: no picture could be made of {}\n", kind->id);
      return kProblem;
    }
    if (const auto ok = writePng(folder + "/" + kind->id + ".png", pixels, kWidth, kHeight); !ok) {
      fmt::print(stderr, "error: {}\n", toLine(ok.error()));
      return kProblem;
    }
  }
  for (const LibraryToolPtr& tool : library.tools) {
    if (!put(pageOf(*tool) + ".md", manualPage(*tool->tool().made.kind, true, {}, pageOf(*tool)))) return kProblem;
    if (!hasPictures) continue;
    const auto pixels = toolPicture(*tool, {}, kWidth, kHeight, 16, {});
    const auto ok = pixels ? writePng(folder + "/" + pageOf(*tool) + ".png", *pixels, kWidth, kHeight)
                           : Result<void>(Failure(pixels.error()));
    if (!ok) {
      fmt::print(stderr, "error: {}\n", toLine(ok.error()));
      return kProblem;
    }
  }
  return kDone;
}

std::string defaultText(const ParamSpec& spec) {
  const nlohmann::json j = std::visit(
      [](const auto& v) -> nlohmann::json {
        if constexpr (std::is_same_v<std::decay_t<decltype(v)>, PropChoices> ||
                      std::is_same_v<std::decay_t<decltype(v)>, HandPoints> ||
                      std::is_same_v<std::decay_t<decltype(v)>, TouchUps>)
          return nlohmann::json::array();
        else
          return v;
      },
      spec.defaultValue);
  return j.is_string() ? j.get<std::string>() : j.dump();
}

nlohmann::json jsonOf(const NodeKind& kind) {
  nlohmann::json j{{"id", kind.id},       {"version", kind.version},
                   {"label", kind.label}, {"family", familyLabel(kind.family)},
                   {"help", kind.help},   {"seed", kind.usesSeed}};
  j["inputs"] = j["outputs"] = j["params"] = nlohmann::json::array();
  for (const InputSpec& in : kind.inputs)
    j["inputs"].push_back(
        {{"id", in.id}, {"type", valueTypeName(in.type)}, {"optional", in.isOptional}, {"several", in.isMany}});
  for (const OutputSpec& out : kind.outputs)
    j["outputs"].push_back({{"id", out.id}, {"type", valueTypeName(out.type)}});
  for (const ParamSpec& p : kind.params) {
    nlohmann::json options = nlohmann::json::array();
    for (const Option& o : p.options) options.push_back(o.id);
    j["params"].push_back({{"id", p.id},
                           {"label", p.label},
                           {"help", p.help},
                           {"default", defaultText(p)},
                           {"least", p.hardMin},
                           {"most", p.hardMax},
                           {"options", options}});
  }
  return j;
}

void printJson(const Library& library) {
  nlohmann::json all = nlohmann::json::array();
  for (const NodeKind* kind : allNodeKinds()) all.push_back(jsonOf(*kind));
  for (const LibraryToolPtr& tool : library.tools) {
    nlohmann::json j = jsonOf(*tool->tool().made.kind);
    j["version"] = tool->tool().version;
    j["of"] = tool->plan.tool;
    j["file"] = tool->file;
    all.push_back(std::move(j));
  }
  fmt::print("{}\n", all.dump(2));
}

void printList(const Library& library) {
  const auto print = [](const std::string& id, const std::string& label, const std::string& help) {
    fmt::print("{:<18} {:<20} {}\n", id, label, help.substr(0, help.find(". ")));
  };
  for (const NodeKind* kind : allNodeKinds()) print(kind->id, kind->label, kind->help);
  for (const LibraryToolPtr& tool : library.tools) print("sub-plan", tool->tool().name, tool->tool().help);
}

}  // namespace

void addNodes(CLI::App& app, int& status) {
  struct Options {
    bool isJson = false;
    std::string manual;
    bool hasNoPictures = false;
    std::vector<std::string> libraries;
  };
  auto options = std::make_shared<Options>();
  CLI::App* sub = app.add_subcommand("nodes", "The nodes, from their declarations");
  sub->add_flag("--json", options->isJson, "As JSON");
  sub->add_option("--manual", options->manual, "Write the manual's pages and pictures into this folder");
  sub->add_flag("--no-pictures", options->hasNoPictures, "Write the pages only");
  sub->add_option("--library", options->libraries,
                  "A folder of sub-plans that are nodes too, besides those that come with the program; may be repeated")
      ->allow_extra_args(false)
      ->check(CLI::ExistingDirectory);
  sub->callback([options, &status] {
    std::vector<LibraryFolder> folders;
    if (std::string shipped = shippedLibrary(); !shipped.empty()) folders.push_back({std::move(shipped), true});
    for (const std::string& folder : options->libraries) folders.push_back({folder, true});
    const Library library = readLibrary(folders);
    status = kDone;
    for (const Problem& p : library.problems) {
      printProblem(p);
      if (p.severity == Severity::Error) status = kProblem;
    }
    if (!options->manual.empty()) {
      status = std::max(status, writeManual(options->manual, !options->hasNoPictures, library));
    } else if (options->isJson) {
      printJson(library);
    } else {
      printList(library);
    }
  });
}

}  // namespace arvesk::cli
