// Point file: points from CSV or PLY, columns mapped to what points carry.
#include "core/nodes/ground/placed.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

#include <cmath>

#include <unordered_set>

namespace arvesk::nodes {
namespace {

struct Params : PlacedFile {
  std::string place = "x y z";
  std::string turn = "qx qy qz qw";
  std::string heading;
  std::string sizes = "scale_x scale_y scale_z";
  std::string normal = "nx ny nz";
  std::string id = "id";
};

/// A mesh file's vertices as a table.
Table tableOf(const Surface& s) {
  Table t;
  t.rowCount = s.positions.size();
  const auto add = [&](const char* name, auto value) {
    Array<double> column(t.rowCount);
    for (std::size_t i = 0; i < t.rowCount; ++i) column[i] = static_cast<double>(value(i));
    t.names.emplace_back(name);
    t.columns.emplace_back(std::move(column));
  };
  constexpr std::array axes{"x", "y", "z"};
  constexpr std::array normals{"nx", "ny", "nz"};
  for (int a = 0; a < 3; ++a)
    add(axes[static_cast<std::size_t>(a)], [&s, a](std::size_t i) { return s.positions[i][a]; });
  if (s.hasOwnNormals && !s.normals.empty())
    for (int a = 0; a < 3; ++a)
      add(normals[static_cast<std::size_t>(a)], [&s, a](std::size_t i) { return s.normals[i][a]; });
  for (const auto& [name, column] : s.vertexAttributes)
    if (const auto* numbers = std::get_if<Column<float>>(&column))
      add(name.c_str(), [numbers](std::size_t i) { return (*numbers)[i]; });
  return t;
}

std::vector<std::string> wordsOf(const std::string& text) {
  std::vector<std::string> out;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find_first_of(" ,", at), text.size());
    if (end > at) out.push_back(text.substr(at, end - at));
    at = end + 1;
  }
  return out;
}

/// Reads mapped columns and remembers which are taken, so that the others become attributes.
class Mapping {
 public:
  explicit Mapping(const Table& table) : m_table(table) {}

  /// The named columns as numbers; empty when a name is not there or is text. `wanted` names at most.
  std::vector<Array<double>> numbers(const std::string& names, std::size_t wanted) {
    std::vector<Array<double>> out;
    const std::vector<std::string> words = wordsOf(names);
    if (words.size() != wanted && !(wanted == 3 && words.size() == 1)) return {};
    for (const std::string& word : words) {
      const TableColumn* column = m_table.find(word);
      if (!column || std::holds_alternative<TextCells>(*column)) return {};
      if (const auto* d = std::get_if<Array<double>>(column))
        out.push_back(*d);
      else {
        const auto& whole = std::get<Array<std::uint64_t>>(*column);
        Array<double>& numbers = out.emplace_back(whole.size());
        std::transform(whole.begin(), whole.end(), numbers.begin(),
                       [](std::uint64_t v) { return static_cast<double>(v); });
      }
    }
    for (const std::string& word : words) m_taken.insert(word);
    return out;
  }
  const TableColumn* column(const std::string& name) {
    const TableColumn* found = name.empty() ? nullptr : m_table.find(name);
    if (found) m_taken.insert(name);
    return found;
  }
  bool isTaken(const std::string& name) const { return m_taken.contains(name); }

 private:
  const Table& m_table;
  std::unordered_set<std::string> m_taken;
};

Result<Array<std::uint64_t>> idsOf(const EvalContext& ctx, const Table& table, const TableColumn* column) {
  Array<std::uint64_t> ids(table.rowCount);
  for (std::size_t i = 0; i < ids.size(); ++i) {
    if (!column)
      ids[i] = ctx.idOf(static_cast<std::uint64_t>(i));
    else if (const auto* whole = std::get_if<Array<std::uint64_t>>(column))
      ids[i] = ctx.idOf((*whole)[i]);
    else if (const auto* texts = std::get_if<TextCells>(column))
      ids[i] = ctx.idOf(hashText((*texts)[i]));
    else
      ids[i] = ctx.idOf(hashText(fmt::format("{}", std::get<Array<double>>(*column)[i])));
  }
  std::unordered_set<std::uint64_t> seen;
  for (std::size_t i = 0; i < ids.size(); ++i)
    if (!seen.insert(ids[i]).second)
      return fail(ProblemCode::FileUnreadable, fmt::format("row {} has an id that an earlier row has too", i + 1),
                  "Fix the ids, or leave the id column empty to count rows");
  return ids;
}

void takeAttributes(const EvalContext& ctx, Points& out, const Table& table, const Mapping& mapping) {
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    const std::string& name = table.names[c];
    if (mapping.isTaken(name)) continue;
    if (const auto* texts = std::get_if<TextCells>(&table.columns[c])) {
      auto names = std::make_shared<std::vector<std::string>>();
      std::map<std::string, std::uint32_t> places;
      Array<std::uint32_t> index(texts->size());
      for (std::size_t i = 0; i < index.size(); ++i) {
        const auto [it, isNew] = places.emplace((*texts)[i], static_cast<std::uint32_t>(names->size()));
        if (isNew) names->push_back((*texts)[i]);
        index[i] = it->second;
      }
      out.attributes.insert_or_assign(name, TextColumn{names, Column<std::uint32_t>(std::move(index))});
      continue;
    }
    Array<float> values(table.rowCount);
    std::visit(
        [&](const auto& column) {
          if constexpr (!std::is_same_v<std::decay_t<decltype(column)>, TextCells>)
            for (std::size_t i = 0; i < values.size(); ++i) values[i] = static_cast<float>(column[i]);
        },
        table.columns[c]);
    std::size_t odd = 0;
    for (float& v : values)
      if (!std::isfinite(v)) v = 0, ++odd;
    if (odd > 0) ctx.warn(fmt::format("{} values of \"{}\" are no numbers and count as 0", odd, name));
    out.attributes.insert_or_assign(name, Column<float>(std::move(values)));
  }
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs&, const Params& p) {
  TablePtr table;
  if (p.file.size() > 4 && (p.file.substr(p.file.size() - 4) == ".csv" || p.file.substr(p.file.size() - 4) == ".tsv" ||
                            p.file.substr(p.file.size() - 4) == ".txt")) {
    auto read = ctx.files->table(p.file, ctx.task);
    if (!read) return Failure(read.error());
    table = *read;
  } else {
    std::vector<Problem> warnings;
    auto read = ctx.files->scene(p.file, ctx.task, warnings);
    if (!read) return Failure(read.error());
    for (const Problem& w : warnings) ctx.warn(w.message, w.advice);
    table = std::make_shared<const Table>(tableOf(**read));
  }
  if (auto ok = guardPoints(ctx, static_cast<double>(table->rowCount), "Split the file"); !ok)
    return Failure(ok.error());
  Mapping mapping(*table);
  const auto places = mapping.numbers(p.place, 3);
  if (places.size() != 3) {
    std::string names;
    for (const std::string& name : table->names) names += (names.empty() ? "" : ", ") + name;
    return fail(ProblemCode::BadParameter, fmt::format("\"{}\" are not three columns of numbers", p.place),
                fmt::format("Name three of: {}", names), p.file);
  }
  const auto turns = mapping.numbers(p.turn, 4);
  const auto headings = mapping.numbers(p.heading, 1);
  const auto sizes = mapping.numbers(p.sizes, 3);
  const auto normals = mapping.numbers(p.normal, 3);
  const TableColumn* idColumn = mapping.column(p.id);
  auto ids = idsOf(ctx, *table, idColumn);
  if (!ids) return Failure(ids.error());

  const Quat axes = p.upAxis == UpAxis::Z ? glm::angleAxis(-kPi / 2, Vec3(1, 0, 0)) : Quat(1, 0, 0, 0);
  const Quat whole = turnOf(p);
  Points out;
  out.count = table->rowCount;
  Array<Vec3> position(out.count);
  Array<Quat> orientation(out.count);
  Array<Vec3> size(out.count);
  Array<Vec3> normal(out.count);
  const auto vec = [](const std::vector<Array<double>>& columns, std::size_t i) {
    return Vec3(static_cast<float>(columns[0][i]), static_cast<float>(columns[1][i]),
                static_cast<float>(columns[2][i]));
  };
  std::size_t notFinite = 0;
  std::size_t unturned = 0;
  Array<std::uint8_t> keeps;
  keeps.assign(out.count, 1);
  for (std::size_t i = 0; i < out.count; ++i) {
    position[i] = whole * (axes * vec(places, i) * p.unitScale * p.size) + p.move;
    Quat turn(1, 0, 0, 0);
    if (!turns.empty()) {
      const Quat raw(static_cast<float>(turns[3][i]), static_cast<float>(turns[0][i]), static_cast<float>(turns[1][i]),
                     static_cast<float>(turns[2][i]));
      if (const float length = glm::length(raw); length > 1e-6F && std::isfinite(length))
        turn = raw / length;
      else
        ++unturned;
    } else if (!headings.empty()) {
      if (std::isfinite(static_cast<float>(headings[0][i])))
        turn = turnAbout(kUp, radians(static_cast<float>(headings[0][i])));
      else
        ++unturned;
    }
    orientation[i] = glm::normalize(whole * axes * turn * glm::conjugate(axes));
    size[i] = sizes.empty() ? Vec3(1) : sizes.size() == 1 ? Vec3(static_cast<float>(sizes[0][i])) : vec(sizes, i);
    if (p.upAxis == UpAxis::Z) size[i] = {size[i].x, size[i].z, size[i].y};
    size[i] *= p.size;
    normal[i] = normals.empty() ? orientation[i] * kUp : directionOr(whole * (axes * vec(normals, i)), kUp);
    if (!isFinite(position[i]) || !isFinite(size[i])) {
      keeps[i] = 0;
      position[i] = Vec3(0);
      ++notFinite;
    }
  }
  takeAttributes(ctx, out, *table, mapping);
  if (const auto* fileIds = idColumn ? std::get_if<Array<std::uint64_t>>(idColumn) : nullptr)
    out.attributes.insert_or_assign("file-id", Column<std::uint64_t>(Array<std::uint64_t>(*fileIds)));
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.size = std::move(size);
  out.groundNormal = std::move(normal);
  out.id = std::move(*ids);
  out.footprint = Column<float>(p.footprint);
  if (unturned > 0) ctx.warn(fmt::format("{} rows have turns that are none and were not turned", unturned));
  if (notFinite == 0) return Outputs{std::make_shared<const Points>(std::move(out))};
  ctx.warn(fmt::format("{} rows have places or sizes that are not numbers and were left out", notFinite));
  return Outputs{split(out, keeps).first};
}

std::string sentence(const Params& p) {
  return fmt::format("Point file · {}", p.file.empty() ? "no file yet" : p.file.substr(p.file.find_last_of('/') + 1));
}

}  // namespace

const NodeKind& pointFile() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "point-file";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Point file");
    k.help = ARVESK_TEXT(
        "node",
        "Points from a CSV file with a head line, or the vertices of a PLY or other mesh file. Columns named here give "
        "place, turn, size, normal and id; all others become attributes, numbers or text. What Arvesk exports as CSV "
        "reads back as it was. Without an id column the row number is the id.");
    k.glyph = "point-file";
    k.synonyms = {"csv", "ply", "import", "table", "survey", "cloud"};
    k.outputs = {pointsOutput()};
    k.params = {
        fileParam<Params>("file", &Params::file, ARVESK_TEXT("node", "File"),
                          ARVESK_TEXT("node", "CSV, PLY or a mesh file."), "points"),
        param("place", &Params::place, ARVESK_TEXT("node", "Place"), ARVESK_TEXT("node", "Three columns.")),
        param("turn_columns", &Params::turn, ARVESK_TEXT("node", "Turn from"),
              ARVESK_TEXT("node", "Four columns of a quaternion, x y z w; not there: no turn.")),
        param("heading", &Params::heading, ARVESK_TEXT("node", "Heading"),
              ARVESK_TEXT(
                  "node",
                  "One column of compass headings, degrees: 0 north (−Z), 90 east (+X); when there is no quaternion.")),
        param("size_columns", &Params::sizes, ARVESK_TEXT("node", "Size from"),
              ARVESK_TEXT("node", "One or three columns of factors; not there: 1.")),
        param("normal", &Params::normal, ARVESK_TEXT("node", "Normal"),
              ARVESK_TEXT("node", "Three columns for the ground record; not there: the point's own up.")),
        param("id", &Params::id, ARVESK_TEXT("node", "Id"),
              ARVESK_TEXT("node", "A column of ids; not there: the row number.")),
    };
    addPlacedFileParams<Params>(k.params);
    k.example.params = {{"file", std::string("example.ply")}};
    k.trial.params = {{"file", std::string("kit/boulder-a.glb")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
