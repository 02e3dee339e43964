#include "core/deliver/tiles.h"

#include "core/base/safe_file.h"
#include "core/deliver/layers.h"
#include "core/formats/plan_file.h"
#include "core/plan/history.h"
#include "core/plan/plan_index.h"
#include "core/props/baked.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>

namespace arvesk {
namespace {

using nlohmann::json;
namespace fs = std::filesystem;

constexpr double kMostTiles = 1e6;
constexpr int kFarthest = 1 << 24;  // columns and rows; floats know whole numbers up to there

const char* stateName(TileRecord::State state) {
  switch (state) {
    case TileRecord::State::Done: return "done";
    case TileRecord::State::Empty: return "empty";
    case TileRecord::State::Failed: return "failed";
  }
  return "failed";
}

std::string fileOf(const TileOrder& order, const std::string& name) { return "tiles/" + name + order.ending; }
std::string written(const json& value) { return value.dump(1, ' ', false, json::error_handler_t::replace) + "\n"; }

json toJson(const TileRecord& r) {
  json out{{"tile", r.name},       {"state", stateName(r.state)}, {"key", r.key},          {"file", r.file},
           {"bytes", r.bytes},     {"placements", r.placements},  {"per prop", r.perProp}, {"per output", r.perLayer},
           {"seconds", r.seconds}, {"peak bytes", r.peakBytes},   {"problems", r.problems}};
  out["files"] = r.files;
  out["wider"] = r.wider;  // without an end: null
  if (!r.bounds.isEmpty())
    out["bounds"] = {r.bounds.min.x, r.bounds.min.y, r.bounds.min.z, r.bounds.max.x, r.bounds.max.y, r.bounds.max.z};
  return out;
}

/// The kernel's highest mark of this process's memory, from now on (proc(5): clear_refs, VmHWM).
void resetPeak() { std::ofstream("/proc/self/clear_refs") << "5"; }
std::size_t peakBytes() {
  std::ifstream status("/proc/self/status");
  for (std::string line; std::getline(status, line);)
    if (line.starts_with("VmHWM:")) return static_cast<std::size_t>(std::strtoull(line.c_str() + 6, nullptr, 10)) << 10;
  return 0;
}

Box3 boundsOf(const Points& points) {
  Box3 out;
  for (std::size_t i = 0; i < points.count; ++i) {
    const std::int32_t prop = points.kit ? points.prop[i] : kNoProp;
    out.add(points.position[i]);
    if (prop != kNoProp)
      out.add(placedBox(points.kit->entries[static_cast<std::size_t>(prop)].prop->surface->bounds(), points.position[i],
                        points.orientation[i], points.size[i]));
  }
  return out;
}

bool contains(const std::vector<std::string>& all, const std::string& one) {
  return std::find(all.begin(), all.end(), one) != all.end();
}

/// What the plan says that has gone wrong: causes first, then who waits for them, then warnings.
std::vector<std::string> problemsOf(const Session& session, bool& hasFailed) {
  std::vector<std::string> causes, waiting, out;
  for (const Problem& p : session.problems()) {
    const bool isError = p.severity == Severity::Error;
    hasFailed = hasFailed || isError;
    if (p.severity == Severity::Note) continue;
    (!isError ? out : p.code == ProblemCode::Waiting ? waiting : causes).push_back(toLine(p));
  }
  out.insert(out.begin(), waiting.begin(), waiting.end());
  out.insert(out.begin(), causes.begin(), causes.end());
  for (const auto& [uid, report] : session.evaluation().reports)
    hasFailed = hasFailed || report.state == NodeState::Failed || report.state == NodeState::Waiting;
  return out;
}

std::string quotedName(const std::string& name) {
  std::string out = "tile_";
  for (const char c : name) out += c == '-' ? 'm' : c;
  return out;
}

Result<void> writeWorld(const TileOrder& order, const std::vector<TileRecord>& records, const std::string& rest) {
  std::string text =
      "#usda 1.0\n(\n    defaultPrim = \"World\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n)\n\n"
      "def Xform \"World\"\n{\n";
  if (!rest.empty())
    text += fmt::format("    def Xform \"Rest\" (\n        payload = @./{}@\n    )\n    {{\n    }}\n", rest);
  for (const TileRecord& r : records) {
    if (r.state != TileRecord::State::Done) continue;
    const Box3& b = r.bounds;
    text += fmt::format(
        "    def Xform \"{}\" (\n        prepend apiSchemas = [\"GeomModelAPI\"]\n        payload = @./{}@\n    )\n    "
        "{{\n"
        "        float3[] extentsHint = [({}, {}, {}), ({}, {}, {})]\n    }}\n",
        quotedName(r.name), r.file, b.min.x, b.min.y, b.min.z, b.max.x, b.max.y, b.max.z);
  }
  return writeWhole(order.folder + "/world.usda", text + "}\n");
}

}  // namespace

std::string recordPath(const std::string& folder, const std::string& name) {
  return folder + "/tiles/" + name + ".json";
}

std::optional<TileRecord> readRecord(const std::string& folder, const std::string& name) {
  constexpr std::size_t kLargest = 16 << 20;
  const auto text = readWhole(recordPath(folder, name), kLargest);
  if (!text) return {};
  try {
    const json in = json::parse(*text);
    TileRecord r;
    r.name = in.at("tile").get<std::string>();
    const auto state = in.at("state").get<std::string>();
    r.state = state == "done"    ? TileRecord::State::Done
              : state == "empty" ? TileRecord::State::Empty
                                 : TileRecord::State::Failed;
    r.key = in.at("key").get<std::string>();
    r.file = in.at("file").get<std::string>();
    r.files = in.at("files").get<std::vector<std::string>>();
    r.bytes = in.at("bytes").get<std::uint64_t>();
    r.placements = in.at("placements").get<std::size_t>();
    r.perProp = in.at("per prop").get<std::map<std::string, std::size_t>>();
    r.perLayer = in.at("per output").get<std::map<std::string, std::size_t>>();
    r.seconds = in.at("seconds").get<double>();
    r.peakBytes = in.at("peak bytes").get<std::size_t>();
    r.problems = in.at("problems").get<std::vector<std::string>>();
    for (const auto& [uid, meters] : in.at("wider").items())
      r.wider[uid] = meters.is_null() ? std::numeric_limits<double>::infinity() : meters.get<double>();
    if (in.contains("bounds")) {
      const auto b = in.at("bounds").get<std::array<float, 6>>();
      r.bounds = {{b[0], b[1], b[2]}, {b[3], b[4], b[5]}};
    }
    return r;
  } catch (const json::exception&) {
    return {};  // cut off, or of somebody else: the tile is made anew
  }
}

Part TileGrid::partOf(std::size_t tile) const {
  const int column = columnOf(tile);
  const int row = rowOf(tile);
  const auto side = [&](int k) { return static_cast<float>(size * k); };
  Part part;
  if (column > fromColumn) part.min.x = side(column);
  if (column < toColumn) part.max.x = side(column + 1);
  if (row > fromRow) part.min.z = side(row);
  if (row < toRow) part.max.z = side(row + 1);
  return part;
}

std::string TileGrid::nameOf(std::size_t tile) const { return fmt::format("{}_{}", columnOf(tile), rowOf(tile)); }

Result<TileGrid> tileGridOf(Session& session, const TileOrder& order, const Task& task) {
  if (!(order.size > 0)) return fail(ProblemCode::BadParameter, fmt::format("tiles of {} m have no size", order.size));
  TileGrid grid;
  grid.size = order.size;
  const OpenedPlan opened = openPlan(session.plan(), order.quality);
  std::vector<std::string> grounds;
  for (const Node& node : opened.plan.nodes) {
    const NodeKind* kind = kindOf(node);
    for (const auto& [id, links] : node.inputs) {
      const InputSpec* input = kind && kind->family == Family::Scatter ? kind->findInput(id) : nullptr;
      if (!input || (input->type != ValueType::Surface && input->type != ValueType::Volume)) continue;
      for (const Link& link : links)
        if (!link.isEmpty()) grounds.push_back(link.node);
    }
  }
  if (grounds.empty()) return grid;
  if (auto ok = session.evaluate(order.quality, order.limits, task, Part::none(), grounds); !ok)
    return Failure(ok.error());
  Box3 bounds;
  for (const auto& [uid, outputs] : session.evaluation().values)
    for (const Value& value : outputs) {
      if (const auto* surface = std::get_if<SurfacePtr>(&value); surface && *surface) bounds.add((*surface)->bounds());
      if (const auto* volume = std::get_if<VolumePtr>(&value); volume && *volume) bounds.add((*volume)->bounds());
    }
  if (bounds.isEmpty()) return grid;
  const auto tileAt = [&](float meters) { return std::floor(static_cast<double>(meters) / order.size); };
  const double from[] = {tileAt(bounds.min.x), tileAt(bounds.min.z)};
  const double to[] = {tileAt(bounds.max.x), tileAt(bounds.max.z)};
  if ((to[0] - from[0] + 1) * (to[1] - from[1] + 1) > kMostTiles || std::abs(from[0]) > kFarthest ||
      std::abs(from[1]) > kFarthest || std::abs(to[0]) > kFarthest || std::abs(to[1]) > kFarthest)
    return fail(ProblemCode::TooMany,
                fmt::format("the plan lies in more than {:.0f} tiles of {} m", kMostTiles, order.size),
                "Make tiles larger");
  grid.fromColumn = static_cast<int>(from[0]);
  grid.fromRow = static_cast<int>(from[1]);
  grid.toColumn = static_cast<int>(to[0]);
  grid.toRow = static_cast<int>(to[1]);
  return grid;
}

std::string tileKeyOf(const Plan& plan, FileService& files, const TileOrder& order, const TileGrid& grid) {
  KeyBuilder key;
  key.addText("tiles of Arvesk");
  for (const double v : {order.size, static_cast<double>(grid.fromColumn), static_cast<double>(grid.toColumn),
                         static_cast<double>(grid.fromRow), static_cast<double>(grid.toRow)})
    key.add(v);
  key.addText(order.ending);
  key.add(static_cast<std::uint64_t>(order.quality == Quality::Draft));
  for (const std::string& title : order.outputs) key.addText(title);
  for (const std::string& pattern : order.how.attributes) key.addText(pattern);
  key.add(static_cast<std::uint64_t>(order.how.gltfWay) + 8 * static_cast<std::uint64_t>(order.how.usdPrototypes) +
          64 * static_cast<std::uint64_t>(order.how.isUsdPayload) +
          128 * static_cast<std::uint64_t>(order.how.isWithoutMissing));
  key.add(plan.settings.draftShare);
  key.add(momentOf(plan).frame);
  for (const Node& node : plan.nodes) {
    const NodeKind* kind = kindOf(node);
    if (!node.isInstance() && !(kind && kind->isLayer)) continue;
    key.addText(node.title);
    key.add(historyOf(plan, node.uid, order.quality, files));
  }
  return fmt::format("{:016x}{:016x}", key.lanes[0], key.lanes[1]);
}

void forgetTile(const TileOrder& order, const std::string& name) {
  std::error_code ignored;
  const auto record = readRecord(order.folder, name);
  if (record && !record->file.empty()) fs::remove(order.folder + "/" + record->file, ignored);
  fs::remove(recordPath(order.folder, name), ignored);
}

Result<void> writeRecord(const TileOrder& order, const TileRecord& record) {
  return writeWhole(recordPath(order.folder, record.name), written(toJson(record)));
}

Result<void> recordFailure(const TileOrder& order, const std::string& name, const std::string& key,
                           const std::string& why) {
  TileRecord record;
  record.name = name;
  record.key = key;
  record.problems = {why};
  return writeRecord(order, record);
}

std::optional<TileRecord> tileRecord(const TileOrder& order, const std::string& name, const std::string& key) {
  auto record = readRecord(order.folder, name);
  if (!record || record->key != key || record->name != name) return {};
  std::error_code fault;
  if (record->state == TileRecord::State::Done &&
      (record->file != fileOf(order, name) ||
       fs::file_size(order.folder + "/" + record->file, fault) != record->bytes || fault))
    return {};
  for (const std::string& file : record->files)
    if (!fs::exists(order.folder + "/" + file, fault)) return {};
  return record;
}

Result<TileRecord> makeTile(Session& session, const TileOrder& order, const TileGrid& grid, std::size_t tile,
                            const std::string& key, const Task& task) {
  const auto start = std::chrono::steady_clock::now();
  resetPeak();
  TileRecord record;
  record.name = grid.nameOf(tile);
  record.key = key;
  forgetTile(order, record.name);
  std::error_code fault;
  fs::create_directories(order.folder + "/tiles", fault);  // what is wrong is said by who writes there
  const auto work = [&]() -> Result<void> {
    if (auto ok = session.evaluate(order.quality, order.limits, task, grid.partOf(tile)); !ok)
      return Failure(ok.error());
    bool hasFailed = false;
    record.problems = problemsOf(session, hasFailed);
    if (hasFailed && !record.problems.empty()) return {};  // these say what
    if (hasFailed) return fail(ProblemCode::Waiting, "not written, as a part of the plan failed");
    const auto layers = exportLayersOf(session.opened(), session.evaluation(), order.outputs);
    if (!layers) return Failure(layers.error());
    std::vector<std::string> titles;
    for (const ExportLayer& layer : *layers)
      if (layer.points) {
        titles.push_back(layer.name);
        record.placements += layer.points->count;
        record.bounds.add(boundsOf(*layer.points));
      }
    if (record.placements == 0) {
      record.state = TileRecord::State::Empty;
      return {};
    }
    const std::string file = fileOf(order, record.name);
    const auto report = session.exportTo(order.folder + "/" + file, order.how, titles, task);
    if (!report) return Failure(report.error());
    for (const Problem& p : report->warnings) record.problems.push_back(toLine(p));
    record.placements = report->placements;
    record.perProp = report->perProp;
    record.perLayer = report->perLayer;
    record.file = file;
    for (const std::string& made : report->files)
      record.files.push_back(fs::path(made).lexically_relative(order.folder).string());
    record.bytes = fs::file_size(order.folder + "/" + file, fault);
    record.state = TileRecord::State::Done;
    return {};
  };
  if (auto ok = work(); !ok) {
    if (ok.error().code == ProblemCode::Cancelled) return Failure(ok.error());
    record.problems.insert(record.problems.begin(), toLine(ok.error()));
  }
  record.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  record.peakBytes = peakBytes();
  record.wider = session.evaluation().wider;
  if (auto ok = writeRecord(order, record); !ok) return Failure(ok.error());
  return record;
}

std::optional<CollectedPlan> collectedPlan(const TileOrder& order) {
  constexpr std::size_t kLargest = std::size_t{4} << 30;
  const auto manifest = readWhole(order.folder + "/tiles.json", kLargest);
  const auto plan = readWhole(order.folder + "/plan.json", kLargestPlan);
  if (!manifest || !plan) return {};
  const json in = json::parse(*manifest, nullptr, false);
  const auto key = in.is_object() ? in.find("key") : in.end();
  if (key == in.end() || !key->is_string()) return {};
  return CollectedPlan{key->get<std::string>(), *plan};
}

Result<std::vector<TileRecord>> collectTiles(Session& session, const TileOrder& order, const TileGrid& grid,
                                             const std::string& key, const Task& task) {
  std::vector<TileRecord> records;
  std::set<std::string> names;
  for (std::size_t t = 0; t < grid.count(); ++t) {
    const std::string name = grid.nameOf(t);
    names.insert(name);
    auto record = readRecord(order.folder, name);
    if (!record || record->key != key) {
      record = TileRecord();
      record->name = name;
      record->key = key;
      record->problems = {"it was not made, or its process was lost"};
    }
    records.push_back(std::move(*record));
  }
  std::error_code fault;
  std::vector<std::string> gone;
  for (const auto& entry : fs::directory_iterator(order.folder + "/tiles", fault))
    if (entry.path().extension() == ".json" && !names.contains(entry.path().stem().string()))
      gone.push_back(entry.path().stem().string());
  for (const std::string& name : gone) forgetTile(order, name);

  // Surfaces and volumes are no tile's: they are written once. Of points nothing is wanted here.
  std::string rest;
  const OpenedPlan opened = openPlan(session.plan(), order.quality);
  const PlanIndex index(opened.plan);
  std::vector<std::string> bodies, titles;
  for (const Node& node : opened.plan.nodes) {
    const NodeKind* kind = kindOf(node);
    const bool isWanted = order.outputs.empty() ? isExportedLayer(node) : contains(order.outputs, node.title);
    if (!isWanted || !kind || !kind->isLayer) continue;
    const auto type = outputType(index, Link{node.uid, kind->outputs.front().id, {}});
    if (!type || (*type != ValueType::Surface && *type != ValueType::Volume)) continue;
    bodies.push_back(node.uid);
    titles.push_back(node.title);
  }
  if (!bodies.empty()) {
    if (auto ok = session.evaluate(order.quality, order.limits, task, Part::none(), bodies); !ok)
      return Failure(ok.error());
    rest = "rest" + order.ending;
    const auto report = session.exportTo(order.folder + "/" + rest, order.how, titles, task);
    if (!report) return Failure(report.error());
  }
  TileRecord all;
  std::map<std::string, std::size_t> states;
  json tiles = json::array();
  for (const TileRecord& r : records) {
    ++states[stateName(r.state)];
    all.placements += r.placements;
    for (const auto& [prop, count] : r.perProp) all.perProp[prop] += count;
    for (const auto& [title, count] : r.perLayer) all.perLayer[title] += count;
    all.bytes += r.bytes;
    all.seconds += r.seconds;
    all.peakBytes = std::max(all.peakBytes, r.peakBytes);
    tiles.push_back(toJson(r));
  }
  const json manifest{{"arvesk tiles", 1},
                      {"key", key},
                      {"size", order.size},
                      {"columns", {grid.fromColumn, grid.toColumn}},
                      {"rows", {grid.fromRow, grid.toRow}},
                      {"states", states},
                      {"placements", all.placements},
                      {"per prop", all.perProp},
                      {"per output", all.perLayer},
                      {"bytes", all.bytes},
                      {"seconds", all.seconds},
                      {"peak bytes", all.peakBytes},
                      {"rest", rest},
                      {"tiles", std::move(tiles)}};
  if (auto ok = writeWhole(order.folder + "/plan.json", formatPlan(session.plan())); !ok) return Failure(ok.error());
  if (auto ok = writeWhole(order.folder + "/tiles.json", written(manifest)); !ok) return Failure(ok.error());
  if (order.ending == ".usda")
    if (auto ok = writeWorld(order, records, rest); !ok) return Failure(ok.error());
  return records;
}

}  // namespace arvesk
