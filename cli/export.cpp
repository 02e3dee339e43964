// arvesk-run export: writes the outputs, by the ending of the file.
#include "cli/runner.h"

#include <fmt/format.h>

namespace arvesk::cli {

namespace {

/// What was written, and what is wrong with it, on the terminal; the exit status of that.
int told(const ExportReport& report, const std::string& path) {
  for (const auto& [prop, count] : report.perProp) fmt::print("{:>10}  {}\n", count, prop);
  if (report.volumes > 0)
    fmt::print("{:>10}  volume{} in {} ({:.1f} MB)\n", report.volumes, report.volumes == 1 ? "" : "s", path,
               static_cast<double>(report.bytes) / 1e6);
  else
    fmt::print("{:>10}  in all, {} triangles, in {} ({:.1f} MB in {} file{})\n", report.placements, report.triangles,
               path, static_cast<double>(report.bytes) / 1e6, report.files.size(), report.files.size() == 1 ? "" : "s");
  for (const Problem& p : report.warnings) printProblem(p);
  if (!report.verifySeconds) return kDone;
  for (const std::string& fault : report.faults)
    printProblem({ProblemCode::FileUnreadable, Severity::Error, path, "read back: " + fault, {}});
  if (!report.faults.empty()) return kProblem;
  fmt::print("read back in {:.1f} s: {} agree\n", *report.verifySeconds,
             report.volumes > 0 ? "names, places and every value" : "counts, names, bounds and colors");
  return kDone;
}

}  // namespace

void addExport(CLI::App& app, int& status) {
  struct Options : FrameOptions {
    std::vector<std::string> outputs;
    std::string gltf = "instances";
    std::string usd = "inside";
    std::vector<std::string> attributes;
    bool isWithoutMissing = false;
    bool isVerified = false;
    bool isHalf = false;
    bool hasBodies = false;
    bool isUsdPayload = false;
    bool isOneFile = false;
  };
  auto options = std::make_shared<Options>();
  CLI::App* sub = app.add_subcommand("export", "Writes the outputs: .glb .gltf .usda .csv .ply .obj .vdb");
  options->addTo(*sub);
  sub->add_option("--output", options->outputs, "Only the Output node with this title; may be given several times");
  sub->add_option("--gltf", options->gltf, "glTF as instances, plain nodes or one real mesh")
      ->check(CLI::IsMember({"instances", "nodes", "mesh"}))
      ->capture_default_str();
  sub->add_option("--usd-props", options->usd, "USD prototypes inside the file, or in files beside it")
      ->check(CLI::IsMember({"inside", "files"}))
      ->capture_default_str();
  sub->add_flag("--usd-payloads", options->isUsdPayload, "USD names the files of props by reference as payloads");
  sub->add_option("--attributes", options->attributes,
                  "Attributes of the points to write, as patterns separated by ;: * is all, a name with ; * ? in it "
                  "stands in double quotes")
      ->delimiter(',');
  sub->add_flag("--without-missing", options->isWithoutMissing,
                "Leave out placements whose prop could not be read, instead of writing nothing");
  sub->add_flag("--bodies", options->hasBodies,
                "A convex body for each piece of something broken, in FILE-bodies.glb beside");
  sub->add_flag("--verify", options->isVerified,
                "Read the file back and compare counts, names, bounds and colors with what was asked");
  sub->add_flag("--in-one", options->isOneFile,
                "All frames in one file: moving in .usda .glb .gltf, as rows of .csv and .ply")
      ->needs("--frames")
      ->excludes("--go-on")
      ->excludes("--verify");
  sub->add_flag("--half", options->isHalf, "VDB in 16 bits a number");
  sub->callback([options, &status] {
    status = run(*options, [&]() -> Result<int> {
      std::vector<std::string> endings;
      for (const ExportFormat& f : exportFormats()) endings.emplace_back(f.ending);
      if (auto ok = checkEnding(options->to, endings); !ok) return Failure(ok.error());
      ExportOptions how;
      how.gltfWay = options->gltf == "nodes"  ? GltfWay::Nodes
                    : options->gltf == "mesh" ? GltfWay::Mesh
                                              : GltfWay::Instances;
      how.usdPrototypes = options->usd == "files" ? UsdPrototypes::Files : UsdPrototypes::Inside;
      how.attributes = options->attributes;
      how.isWithoutMissing = options->isWithoutMissing;
      how.isVerified = options->isVerified;
      how.isHalf = options->isHalf;
      how.hasBodies = options->hasBodies;
      how.isUsdPayload = options->isUsdPayload;
      if (options->isOneFile) {
        if (!holdsFrames(options->to))
          return fail(ProblemCode::BadParameter, "a file of this format holds one frame",
                      "Use .usda .glb .gltf .csv or .ply, or leave --in-one away", options->to);
        std::optional<MovingLayers> frames;
        auto last = throughFrames(*options, [&](Session& session) {
          if (!frames) frames.emplace(session.plan().settings.time.value_or(PlanTime()).rate);
          return session.addFrame(*frames, options->outputs);
        });
        if (!last) return Failure(last.error());
        const auto report = last->first.exportFrames(*frames, options->to, how, progressTask(*options, "writing"));
        if (!report) return Failure(report.error());
        return std::max(last->second, told(*report, options->to));
      }
      return writeFrames(*options, [&](Session& session, const std::string& path) -> Result<int> {
        const auto report = session.exportTo(path, how, options->outputs, progressTask(*options, "writing"));
        if (!report) return Failure(report.error());
        return std::max(statusOf(session), told(*report, path));
      });
    });
  });
}

}  // namespace arvesk::cli
