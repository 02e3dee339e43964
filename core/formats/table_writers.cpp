// Placements as rows: CSV for people and scripts, binary PLY for programs that take points.
#include "core/base/csv_field.h"
#include "core/base/safe_file.h"
#include "core/formats/exporter.h"
#include "core/formats/read_files.h"
#include "core/props/coloring.h"
#include "core/props/quantities.h"

#include <fmt/format.h>

#include <set>

#include <cstring>

namespace arvesk {
namespace {

/// One attribute as a column, or three for vectors.
struct Extra {
  enum class Sort { Number, Vector, Text, Id } sort;
  std::string name;
};

/// The chosen attributes as they occur in any layer; a name used for two types keeps the first one's.
std::vector<Extra> extrasOf(const exporters::Job& job) {
  std::vector<Extra> out;
  for (const std::string& name : job.options.attributes)
    for (const ExportLayer* layer : job.layers) {
      if (!layer->points) continue;
      const auto it = layer->points->attributes.find(name);
      if (it == layer->points->attributes.end()) continue;
      out.push_back({static_cast<Extra::Sort>(it->second.index()), name});
      break;
    }
  static_assert(std::is_same_v<std::variant_alternative_t<0, AttributeColumn>, Column<float>> &&
                std::is_same_v<std::variant_alternative_t<1, AttributeColumn>, Column<Vec3>> &&
                std::is_same_v<std::variant_alternative_t<2, AttributeColumn>, TextColumn> &&
                std::is_same_v<std::variant_alternative_t<3, AttributeColumn>, Column<std::uint64_t>>);
  return out;
}

std::string propNameOf(const Points& p, std::size_t i) {
  return p.prop[i] == kNoProp ? std::string() : p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->name;
}

bool hasColors(const exporters::Job& job) {
  return std::any_of(job.layers.begin(), job.layers.end(),
                     [](const ExportLayer* l) { return l->points && !PointColors(*l->points).isPlain(); });
}

/// The mean color of what stands there, linear light.
Vec3 colorOf(exporters::Job& job, const Points& p, std::size_t i) {
  const Vec3 mean = p.prop[i] == kNoProp
                        ? Vec3(0.6F)
                        : meanColorOf(*p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->surface);
  return exporters::heldColor(job.report, PointColors(p).apply(mean, i, mean));
}

template <typename T>
T valueOf(const Points& p, const std::string& name, std::size_t i) {
  const auto* column = columnOf<Column<T>>(p.attributes, name);
  return column ? (*column)[i] : T{};
}

}  // namespace

Result<void> exporters::csv(Job& job) {
  SafeFile file(job.path);
  const std::vector<Extra> extras = extrasOf(job);
  const bool isColored = hasColors(job);
  std::string head = "id,prop,output,x,y,z,qx,qy,qz,qw,scale_x,scale_y,scale_z";
  if (isColored) head += ",red,green,blue";
  std::set<std::string> taken{"id", "prop", "output", "x",       "y",       "z",      "qx",
                              "qy", "qz",   "qw",     "scale_x", "scale_y", "scale_z"};
  if (isColored) taken.insert({"red", "green", "blue"});
  for (const Extra& e : extras) {
    // Columns are told apart: an attribute that is called as one of the table's own gets a number.
    const auto column = [&](const std::string& wanted) {
      head += "," + csvField(exporters::uniqueColumn(taken, wanted));
    };
    if (e.sort == Extra::Sort::Vector)
      for (const char* axis : {"_x", "_y", "_z"}) column(e.name + axis);
    else
      column(e.name);
  }
  std::string block = head + "\n";
  const auto out = [&] { return std::back_inserter(block); };
  std::size_t done = 0;
  for (const ExportLayer* layer : job.layers) {
    if (!layer->points) continue;
    const Points& p = *layer->points;
    const std::string title = csvField(layer->name);
    std::vector<std::string> props;
    if (p.kit)
      for (const KitEntry& e : p.kit->entries) props.push_back(csvField(e.prop->name));
    for (std::size_t i = 0; i < p.count; ++i) {
      const Vec3& at = p.position[i];
      const Quat& q = p.orientation[i];
      const Vec3& s = p.size[i];
      fmt::format_to(out(), "{},{},{},{},{},{},{},{},{},{},{},{},{}", p.id[i],
                     p.prop[i] == kNoProp ? std::string() : props[static_cast<std::size_t>(p.prop[i])], title, at.x,
                     at.y, at.z, q.x, q.y, q.z, q.w, s.x, s.y, s.z);
      if (isColored) {
        const Vec3 c = colorOf(job, p, i);
        fmt::format_to(out(), ",{:.4f},{:.4f},{:.4f}", srgbFromLinear(c.x), srgbFromLinear(c.y), srgbFromLinear(c.z));
      }
      for (const Extra& e : extras) {
        switch (e.sort) {
          case Extra::Sort::Number: fmt::format_to(out(), ",{}", valueOf<float>(p, e.name, i)); break;
          case Extra::Sort::Vector: {
            const Vec3 v = valueOf<Vec3>(p, e.name, i);
            fmt::format_to(out(), ",{},{},{}", v.x, v.y, v.z);
            break;
          }
          case Extra::Sort::Text:
            fmt::format_to(out(), ",{}", csvField(readText(p, e.name, i).value_or(std::string())));
            break;
          case Extra::Sort::Id: fmt::format_to(out(), ",{}", valueOf<std::uint64_t>(p, e.name, i)); break;
        }
      }
      block += '\n';
      if (block.size() < (1 << 20)) continue;
      if (job.task.isCancelled()) return Failure(cancelled());
      file.write(block);
      block.clear();
    }
    job.task.report(static_cast<float>(++done) / static_cast<float>(job.layers.size()));
  }
  if (!job.solids.empty())
    job.report.warnings.push_back({ProblemCode::WrongInput,
                                   Severity::Warning,
                                   {},
                                   fmt::format("{} surfaces are not in the table", job.report.surfaces),
                                   "Export those as glTF, USD or OBJ"});
  file.write(block);
  if (job.task.isCancelled()) return Failure(cancelled());
  if (auto kept = file.commit(); !kept) return kept;
  return contactsBeside(job);
}

namespace {

/// Names that PLY writes as numbers; its comments tell which is which.
struct PlyNames {
  std::map<std::string, int> prop;
  std::map<std::string, std::map<std::string, int>> text;  // by attribute
  std::map<std::pair<std::string, const ExportLayer*>, int> output;
  std::string comments;
  std::size_t points = 0;

  PlyNames(const exporters::Job& job, const std::vector<Extra>& extras) {
    for (const ExportLayer* layer : job.layers) {
      if (!layer->points) continue;
      const Points& p = *layer->points;
      points += p.count;
      if (p.kit)
        for (const KitEntry& e : p.kit->entries) prop.emplace(e.prop->name, static_cast<int>(prop.size()));
      for (const Extra& e : extras)
        if (const auto* texts = columnOf<TextColumn>(p.attributes, e.name))
          for (const std::string& name : *texts->names)
            text[e.name].emplace(name, static_cast<int>(text[e.name].size()));
    }
    for (const auto& [name, number] : prop) comment("prop", name, number);
    for (const ExportLayer* layer : job.layers)
      if (layer->points && output.emplace(outputKey(*layer), static_cast<int>(output.size())).second)
        comment("output", layer->name, numberOf(*layer));
    for (const auto& [attribute, names] : text)
      for (const auto& [name, number] : names) comment(attribute.c_str(), name, number);
  }
  /// The layers of one output at several frames are one.
  int numberOf(const ExportLayer& layer) const { return output.at(outputKey(layer)); }
  static std::pair<std::string, const ExportLayer*> outputKey(const ExportLayer& layer) {
    return {layer.node, layer.node.empty() ? &layer : nullptr};
  }
  /// A comment is a line: what ends one is written as %0A, and a % that would be taken for such a code as %25.
  void comment(const char* what, const std::string& name, int number) {
    std::string plain;
    for (std::size_t i = 0; i < name.size(); ++i) {
      const bool isCode = name[i] == '%' && pathOfUri(name.substr(i, 3)) != name.substr(i, 3);
      if (isCode || static_cast<unsigned char>(name[i]) < 0x20)
        plain += fmt::format("%{:02X}", static_cast<unsigned char>(name[i]));
      else
        plain += name[i];
    }
    comments += fmt::format("comment {} {} {}\n", what, number, plain);
  }
};

std::string plyHead(const PlyNames& names, const std::vector<Extra>& extras, bool isColored) {
  std::string head = "ply\nformat binary_little_endian 1.0\ncomment Arvesk points, meters, Y up\n" + names.comments +
                     fmt::format("element vertex {}\n", names.points);
  std::set<std::string> taken;
  const auto property = [&](const char* type, const std::string& name) {
    std::string word = name;
    std::replace(word.begin(), word.end(), ' ', '_');
    head += fmt::format("property {} {}\n", type, exporters::uniqueColumn(taken, word));
  };
  for (const char* name :
       {"x", "y", "z", "nx", "ny", "nz", "qx", "qy", "qz", "qw", "scale_x", "scale_y", "scale_z", "footprint"})
    property("float", name);
  for (const char* name : {"id_low", "id_high"}) property("uint", name);
  for (const char* name : {"prop", "output"}) property("int", name);
  if (isColored)
    for (const char* name : {"red", "green", "blue"}) property("uchar", name);
  for (const Extra& e : extras) {
    if (e.sort == Extra::Sort::Number) property("float", e.name);
    if (e.sort == Extra::Sort::Vector)
      for (const char* axis : {"_x", "_y", "_z"}) property("float", e.name + axis);
    if (e.sort == Extra::Sort::Text) property("int", e.name);
    if (e.sort == Extra::Sort::Id)
      for (const char* half : {"_low", "_high"}) property("uint", e.name + half);
  }
  return head + "end_header\n";
}

/// One point's record, in the order of the head.
class PlyRecord {
 public:
  std::string block;
  void add(exporters::Job& job, const PlyNames& names, const std::vector<Extra>& extras, bool isColored,
           int layerNumber, const Points& p, std::size_t i) {
    const Quat q = p.orientation[i];
    put(p.position[i]);
    put(q * kUp);
    for (const float v : {q.x, q.y, q.z, q.w}) put(v);
    put(p.size[i]);
    put(p.effectiveFootprint(i));
    putId(p.id[i]);
    put(p.prop[i] == kNoProp ? -1 : names.prop.at(propNameOf(p, i)));
    put(layerNumber);
    if (isColored) {
      const Vec3 c = colorOf(job, p, i);
      for (int axis = 0; axis < 3; ++axis)
        put(static_cast<std::uint8_t>(std::lround(255 * std::clamp(srgbFromLinear(c[axis]), 0.0F, 1.0F))));
    }
    for (const Extra& e : extras) {
      if (e.sort == Extra::Sort::Number) put(valueOf<float>(p, e.name, i));
      if (e.sort == Extra::Sort::Vector) put(valueOf<Vec3>(p, e.name, i));
      if (e.sort == Extra::Sort::Text) {
        const auto text = readText(p, e.name, i);
        put(text ? names.text.at(e.name).at(*text) : -1);
      }
      if (e.sort == Extra::Sort::Id) putId(valueOf<std::uint64_t>(p, e.name, i));
    }
  }

 private:
  template <typename T>
  void put(T v) {
    block.append(reinterpret_cast<const char*>(&v), sizeof v);
  }
  void putId(std::uint64_t id) {
    put(static_cast<std::uint32_t>(id));
    put(static_cast<std::uint32_t>(id >> 32));
  }
};

}  // namespace

// Vertex properties: place, own up as normal, turn, size, footprint, id in two halves, prop and output as numbers whose
// names stand in the comments.
Result<void> exporters::ply(Job& job) {
  const std::vector<Extra> extras = extrasOf(job);
  const PlyNames names(job, extras);
  const bool isColored = hasColors(job);
  SafeFile file(job.path);
  file.write(plyHead(names, extras, isColored));
  PlyRecord record;
  int done = 0;
  for (const ExportLayer* layer : job.layers) {
    if (!layer->points) continue;
    for (std::size_t i = 0; i < layer->points->count; ++i) {
      record.add(job, names, extras, isColored, names.numberOf(*layer), *layer->points, i);
      if (record.block.size() < (1 << 20)) continue;
      if (job.task.isCancelled()) return Failure(cancelled());
      file.write(record.block);
      record.block.clear();
    }
    job.task.report(static_cast<float>(++done) / static_cast<float>(job.layers.size()));
  }
  if (!job.solids.empty())
    job.report.warnings.push_back({ProblemCode::WrongInput,
                                   Severity::Warning,
                                   {},
                                   fmt::format("{} surfaces are not among the points", job.report.surfaces),
                                   "Export those as glTF, USD or OBJ"});
  file.write(record.block);
  if (job.task.isCancelled()) return Failure(cancelled());
  return file.commit();
}

}  // namespace arvesk
