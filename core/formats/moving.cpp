#include "core/formats/moving.h"

#include "core/base/memory.h"
#include "core/geometry/joined.h"
#include "core/props/coloring.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <set>

namespace arvesk {
namespace {

std::uint64_t propKey(const Points& p, std::size_t i) {
  if (!p.kit || p.prop[i] == kNoProp) return 0;
  return hashText(p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->uid);
}

}  // namespace

std::shared_ptr<const LayerFrames> gathered(const LayerFrames& over, const Array<std::uint32_t>& indices) {
  auto out = std::make_shared<LayerFrames>(LayerFrames{over.frames, over.rate, {}});
  for (const LayerFrames::At& at : over.at) {
    LayerFrames::At some;
    for (const std::uint32_t i : indices) {
      some.position.push_back(at.position[i]);
      some.turn.push_back(at.turn[i]);
      some.size.push_back(at.size[i]);
      some.isThere.push_back(at.isThere[i]);
    }
    out->at.push_back(std::move(some));
  }
  return out;
}

MovingLayers::Layer& MovingLayers::layerOf(const ExportLayer& layer, std::size_t number) {
  for (Layer& known : m_layers)
    if (known.name == layer.name && known.number == number) return known;
  m_layers.push_back({layer.name, number, {}, layer.surface, layer.volume, false, false});
  return m_layers.back();
}

Result<void> MovingLayers::add(double frame, const std::vector<ExportLayer>& layers) {
  m_frames.push_back(frame);
  std::map<std::string, std::size_t> numbers;
  for (const ExportLayer& given : layers) {
    Layer& layer = layerOf(given, numbers[given.name]++);
    if (given.surface != layer.surface || given.volume != layer.volume) layer.changes = true;
    if (!given.points) continue;
    if (auto ok = guardMemory(static_cast<double>(given.points->count) * static_cast<double>(m_frames.size()),
                              sizeof(Vec3) * 2 + sizeof(Quat) + 1, "placements of all frames",
                              "Write a file per frame");
        !ok)
      return ok;
    layer.points.emplace_back(m_frames.size() - 1, given.points);
    layer.hasColors = layer.hasColors || !PointColors(*given.points).isPlain();
  }
  return {};
}

Result<ExportLayer> MovingLayers::united(const Layer& layer, const Task& task) const {
  ExportLayer out{layer.name, nullptr, layer.surface, layer.volume};
  if (layer.points.empty()) return out;
  // Who there is: by id and prop, as they come.
  std::unordered_map<std::uint64_t, std::uint32_t> places;
  std::unordered_map<std::uint64_t, std::uint64_t> firstPropOf;  // by id
  std::vector<Points> parts;
  std::vector<std::uint64_t> ids;
  std::vector<std::vector<std::uint32_t>> placeOf(layer.points.size());
  for (std::size_t k = 0; k < layer.points.size(); ++k) {
    const Points& p = *layer.points[k].second;
    Array<std::uint32_t> isNew;
    placeOf[k].resize(p.count);
    for (std::uint32_t i = 0; i < p.count; ++i) {
      const std::uint64_t prop = propKey(p, i);
      const std::uint64_t key = hashOf(p.id[i], prop);
      const auto [it, added] = places.emplace(key, static_cast<std::uint32_t>(ids.size()));
      placeOf[k][i] = it->second;
      if (!added) continue;
      isNew.push_back(i);
      ids.push_back(firstPropOf.emplace(p.id[i], prop).first->second == prop ? p.id[i] : key);
    }
    parts.push_back(gathered(p, isNew));
    if (task.isCancelled()) return Failure(cancelled());
  }
  std::vector<const Points*> all;
  std::vector<std::size_t> starts;
  std::size_t start = 0;
  for (const Points& part : parts) {
    all.push_back(&part);
    starts.push_back(start);
    start += part.count;
  }
  out.points = oneAfterTheOther(task, all, [&](std::size_t part, std::size_t i) { return ids[starts[part] + i]; });
  if (!out.points) return Failure(cancelled());

  auto over = std::make_shared<LayerFrames>(LayerFrames{m_frames, m_rate, {}});
  LayerFrames::At last{out.points->position.copied(ids.size()),
                       out.points->orientation.copied(ids.size()),
                       out.points->size.copied(ids.size()),
                       {}};
  std::size_t next = 0;
  for (std::size_t f = 0; f < m_frames.size(); ++f) {
    LayerFrames::At at = last;
    at.isThere.assign(ids.size(), 0);
    if (next < layer.points.size() && layer.points[next].first == f) {
      const Points& p = *layer.points[next].second;
      for (std::size_t i = 0; i < p.count; ++i) {
        const std::uint32_t place = placeOf[next][i];
        at.position[place] = p.position[i];
        // Of the two ways to say a turn, the one that is nearer: between frames readers take the way between them.
        const Quat& turn = p.orientation[i];
        at.turn[place] = glm::dot(turn, last.turn[place]) < 0 ? -turn : turn;
        at.size[place] = p.size[i];
        at.isThere[place] = 1;
      }
      ++next;
    }
    last = at;
    over->at.push_back(std::move(at));
    if (task.isCancelled()) return Failure(cancelled());
  }
  out.over = std::move(over);
  return out;
}

/// Does any placement have another color at some frame than it gets, that of the frame at which it is first there?
bool MovingLayers::colorsChange(const Layer& layer, const Points& united) {
  const PointColors all(united);
  std::unordered_map<std::uint64_t, std::size_t> places;  // by id; those with another prop have ids of their own
  for (std::size_t i = 0; i < united.count; ++i) places.emplace(united.id[i], i);
  const Vec3 some(0.6F, 0.3F, 0.2F);  // of gray no hue would be seen
  for (const auto& [frame, points] : layer.points) {
    const PointColors now(*points);
    for (std::size_t i = 0; i < points->count; ++i)
      if (const auto at = places.find(points->id[i]);
          at != places.end() && now.apply(some, i, some) != all.apply(some, at->second, some))
        return true;
  }
  return false;
}

Result<MovingLayers::Made> MovingLayers::made(const Task& task) const {
  Made out;
  std::vector<std::string> changing;
  std::vector<std::string> recolored;
  for (const Layer& layer : m_layers) {
    auto one = united(layer, task);
    if (!one) return Failure(one.error());
    if (layer.changes) changing.push_back(layer.name);
    if (layer.hasColors && colorsChange(layer, *one->points)) recolored.push_back(layer.name);
    out.layers.push_back(std::move(*one));
  }
  if (!recolored.empty())
    out.warnings.push_back({ProblemCode::WrongInput,
                            Severity::Warning,
                            {},
                            fmt::format("colors do not move in a file of many frames; those at which each placement is "
                                        "first there: {}",
                                        fmt::join(recolored, ", ")),
                            "Write a file per frame for them"});
  if (!changing.empty())
    out.warnings.push_back({ProblemCode::WrongInput,
                            Severity::Warning,
                            {},
                            fmt::format("surfaces and volumes do not move in a file of many frames; as they are at "
                                        "frame {:g}: {}",
                                        m_frames.empty() ? 0.0 : m_frames.front(), fmt::join(changing, ", ")),
                            "Write a file per frame for them"});
  return out;
}

MovingLayers::Made MovingLayers::rows() const {
  Made out;
  std::set<std::string> taken;
  for (const Layer& layer : m_layers)
    for (const auto& [frame, points] : layer.points)
      for (const auto& [name, column] : points->attributes) taken.insert(name);
  std::string name = "frame";
  while (taken.contains(name)) name += "-of-plan";
  out.attributes = {name};
  for (std::size_t f = 0; f < m_frames.size(); ++f)
    for (const Layer& layer : m_layers)
      for (const auto& [frame, points] : layer.points) {
        if (frame != f) continue;
        auto at = std::make_shared<Points>(*points);
        at->attributes.insert_or_assign(name, Column<float>(static_cast<float>(m_frames[f])));
        ExportLayer& row = out.layers.emplace_back();
        row.name = layer.name;
        row.points = std::move(at);
        row.node = fmt::format("{} {}", layer.number, layer.name);
      }
  for (const Layer& layer : m_layers)  // told by who writes that they are not in it
    if (layer.surface || layer.volume) out.layers.push_back({layer.name, nullptr, layer.surface, layer.volume});
  return out;
}

Result<MovingLayers::Made> MovingLayers::madeFor(const std::string& path, const Task& task) const {
  if (path.ends_with(".csv") || path.ends_with(".ply")) return rows();
  return made(task);
}

}  // namespace arvesk
