// Dress: gives each point a prop, by chance, in turn, in patches, or by what the point is.
#include "core/base/formula.h"
#include "core/base/noise.h"
#include "core/base/pattern.h"
#include "core/nodes/carried_names.h"
#include "core/nodes/dress/prop_rules.h"
#include "core/nodes/registry.h"
#include "core/nodes/rendezvous.h"
#include "core/props/quantities.h"
#include "core/spatial/unlike.h"

#include <fmt/format.h>

#include <set>

namespace arvesk::nodes {
namespace {

enum class Way { Chance, Unlike, Cycle, Patches, Ranges, Name, Index, Expression };
enum class CommonHeight { AsMade, Meters, Tallest, Cell };
struct Params {
  Way way = Way::Chance;
  float unlikeWithin = 2;
  float patchSize = 6;
  float ragged = 50;
  std::string ranges = "0 to 0.5: *; 0.5 to 1: *";
  std::string attribute = "name";
  std::string rules;
  std::string index = "index";
  std::string expression = "height > 2";
  CommonHeight commonHeight = CommonHeight::AsMade;
  float height = 1;
  float ofCell = 98;  // percent
};

/// The patch at a place: the nearest of jittered cell centers (Worley 1996), its outline bent by noise.
std::uint64_t patchAt(const Vec3& at, const Draw& place, float size) {
  const float x = at.x / size;
  const float z = at.z / size;
  const auto column = static_cast<std::int64_t>(std::floor(x));
  const auto row = static_cast<std::int64_t>(std::floor(z));
  float best = std::numeric_limits<float>::max();
  std::uint64_t id = 0;
  for (std::int64_t r = row - 1; r <= row + 1; ++r)
    for (std::int64_t c = column - 1; c <= column + 1; ++c) {
      const std::uint64_t cell = hashOf(static_cast<std::uint64_t>(c), static_cast<std::uint64_t>(r));
      const std::uint64_t bits = place.bits(cell);
      const float dx = static_cast<float>(c) + unitFloat(bits) - x;
      const float dz = static_cast<float>(r) + unitFloat(mix64(bits)) - z;
      if (const float d = dx * dx + dz * dz; d < best) {
        best = d;
        id = cell;
      }
    }
  return id;
}

class Chooser {
 public:
  Chooser(const EvalContext& ctx, const Points& points, const Kit& kit, const MaskPtr& mask, const Params& p)
      : m_ctx(ctx), m_points(points), m_kit(kit), m_mask(mask), m_p(p), m_rendezvous(ctx.draw("prop")) {
    for (const KitEntry& e : kit.entries) m_rendezvous.add(hashText(e.prop->uid), e.weight);
  }

  Result<Array<std::int32_t>> run() {
    Array<std::int32_t> out(m_points.count);
    if (auto ok = prepare(); !ok) return Failure(ok.error());
    if (m_p.way == Way::Unlike) {
      auto unlike = unlikeNeighbors();
      if (unlike) tellBare(*unlike, {});
      return unlike;
    }
    Array<float> mask;
    if (m_p.way == Way::Ranges) mask = maskValues(m_ctx.task, *m_mask, m_points);
    parallelPieces(m_ctx.task, m_points.count, 4096,
                   [&](std::size_t begin, std::size_t end) { piece(begin, end, mask, out); });
    if (m_ctx.task.isCancelled()) return Failure(cancelled());
    tellBare(out, mask);
    if (m_p.way == Way::Ranges) {
      Array<std::uint8_t> hasProp(out.size());
      for (std::size_t i = 0; i < out.size(); ++i) hasProp[i] = out[i] != kNoProp;
      m_ctx.measured(makeHistogram("mask value", "", 0, 1, mask, hasProp));
    }
    return out;
  }

 private:
  /// How many got none, why, and what would give them one.
  void tellBare(const Array<std::int32_t>& out, const Array<float>& mask) const {
    Array<std::uint32_t> bare;
    for (std::size_t i = 0; i < out.size(); ++i)
      if (out[i] == kNoProp) bare.push_back(static_cast<std::uint32_t>(i));
    if (bare.empty()) return;
    const auto warn = [&](std::size_t count, const std::string& why, const std::string& advice) {
      if (count > 0) m_ctx.warn(fmt::format("{} points got no prop: {}", count, why), advice);
    };
    switch (m_p.way) {
      case Way::Chance:
      case Way::Unlike:
      case Way::Cycle:
      case Way::Patches:
        warn(bare.size(), "no prop of the kit has a weight above 0", "Choose props, or raise a weight");
        return;
      case Way::Ranges: {
        float least = 1;
        float most = 0;
        std::size_t outside = 0;
        for (const std::uint32_t i : bare) {
          const bool isInside = std::any_of(m_rules.begin(), m_rules.end(),
                                            [&](const PropRule& r) { return holds(r, mask[i]); });
          if (isInside) continue;
          ++outside;
          least = std::min(least, mask[i]);
          most = std::max(most, mask[i]);
        }
        warn(outside, fmt::format("their mask values, {:.3g} to {:.3g}, lie in no range", least, most),
             "Add a range for them, or widen one");
        warn(bare.size() - outside, "no prop of their range is in the kit with a weight above 0",
             "Add it to Choose props, raise its weight, or name another in the range");
        return;
      }
      case Way::Name: {
        std::set<std::string> names;
        for (const std::uint32_t i : bare) names.insert(m_names->at(i));
        warn(bare.size(),
             fmt::format("their {} fits no rule and no prop: {}", m_p.attribute, listOf({names.begin(), names.end()})),
             "Add a rule for it, or a prop of that name");
        return;
      }
      case Way::Index:
      case Way::Expression:
        warn(bare.size(), fmt::format("their number is not from 1 to {}", m_kit.entries.size()),
             "Fix the number, or add props to the kit");
        return;
    }
  }

  static bool holds(const PropRule& rule, float value) {
    return value >= rule.range.from && (value < rule.range.to || (rule.range.to >= 1 && value <= 1));
  }

  Result<void> prepare() {
    if (m_p.way == Way::Ranges) {
      if (!m_mask)
        return fail(ProblemCode::MissingInput, "props are to go by ranges of a mask, but none is connected",
                    "Connect a mask to Mask");
      auto rules = parseRangeRules(m_p.ranges);
      if (!rules) return Failure(rules.error());
      m_rules = std::move(*rules);
    }
    if (m_p.way == Way::Name) {
      auto rules = parseNameRules(m_p.rules);
      if (!rules) return Failure(rules.error());
      m_rules = std::move(*rules);
      m_names = columnOf<TextColumn>(m_points.attributes, m_p.attribute);
      if (!m_names && m_points.count > 0)
        return fail(ProblemCode::BadParameter, fmt::format("the points carry no text called \"{}\"", m_p.attribute),
                    textAdvice());
    }
    if (m_p.way == Way::Index) {
      const std::vector<std::string> names = numberNames(m_points);
      if (m_points.count > 0 && std::find(names.begin(), names.end(), m_p.index) == names.end())
        return fail(ProblemCode::BadParameter, fmt::format("the points carry no number called \"{}\"", m_p.index),
                    "Write it with Write attribute, or use another");
    }
    if (m_p.way == Way::Expression) {
      auto formula = Formula::compile(m_p.expression);
      if (!formula) return Failure(formula.error());
      m_formula = std::move(*formula);
      Array<float> ignored(1);
      for (const std::string& name : m_formula->names())
        if (m_points.count > 0 && !readNumbers(m_points, name, 0, 1, ignored.data()))
          return fail(ProblemCode::BadParameter,
                      fmt::format("the expression uses {}, which the points do not carry", name),
                      "Use x, y, z, height, slope, size, footprint or an attribute");
    }
    for (const PropRule& rule : m_rules) {
      std::vector<std::uint8_t>& fits = m_fits.emplace_back();
      for (const KitEntry& e : m_kit.entries) fits.push_back(matches(rule.props, e.prop->name));
      if (std::find(fits.begin(), fits.end(), 1) == fits.end())
        m_ctx.warn(fmt::format("no prop of the kit is called \"{}\"", rule.props),
                   "Add it to Choose props, or fix the rule");
    }
    return {};
  }

  std::string textAdvice() const {
    std::string names;
    for (const std::string& name : textNames(m_points)) names += (names.empty() ? "" : ", ") + name;
    return names.empty() ? "Markers and point files bring names; Write attribute writes them" : "They carry: " + names;
  }

  void piece(std::size_t begin, std::size_t end, const Array<float>& mask, Array<std::int32_t>& out) const {
    switch (m_p.way) {
      case Way::Unlike: return;  // not by pieces
      case Way::Chance:
        for (std::size_t i = begin; i < end; ++i) out[i] = m_rendezvous.chosen(m_points.id[i]);
        return;
      case Way::Cycle: {
        const std::size_t n = m_kit.entries.size();
        for (std::size_t i = begin; i < end; ++i) out[i] = static_cast<std::int32_t>(i % n);
        return;
      }
      case Way::Patches: patches(begin, end, out); return;
      case Way::Ranges:
        for (std::size_t i = begin; i < end; ++i)
          out[i] = m_rendezvous.chosen(m_points.id[i], [&](std::size_t k) {
            for (std::size_t r = 0; r < m_rules.size(); ++r)
              if (m_fits[r][k] && holds(m_rules[r], mask[i])) return true;
            return false;
          });
        return;
      case Way::Name:
        for (std::size_t i = begin; i < end; ++i) out[i] = byName(m_names->at(i), m_points.id[i]);
        return;
      case Way::Index: {
        Array<float> number(end - begin);
        readNumbers(m_points, m_p.index, begin, end, number.data());
        for (std::size_t i = begin; i < end; ++i) out[i] = numbered(static_cast<double>(number[i - begin]));
        return;
      }
      case Way::Expression: byExpression(begin, end, out); return;
    }
  }

  /// By lot among the props that nobody near has; where all are taken, the one whose nearest is farthest.
  Result<Array<std::int32_t>> unlikeNeighbors() const {
    constexpr double kMostPairs = 2e9;
    if (pairsWithin(m_points, m_p.unlikeWithin) > kMostPairs)
      return fail(ProblemCode::TooMany,
                  fmt::format("too many points lie within {:g} m of each other to compare", m_p.unlikeWithin),
                  "Lower the distance within which props differ");
    UnlikeNeighbors found = chooseUnlike(
        m_ctx.task, m_points, m_ctx.draw("unlike"), m_p.unlikeWithin, m_kit.entries.size(),
        [&](std::size_t i, const std::vector<float>& nearest) {
          const std::int32_t free = m_rendezvous.chosen(m_points.id[i],
                                                        [&](std::size_t k) { return std::isinf(nearest[k]); });
          if (free >= 0) return free;
          std::int32_t best = kNoProp;
          for (std::size_t k = 0; k < nearest.size(); ++k)
            if (m_kit.entries[k].weight > 0 && (best < 0 || nearest[k] > nearest[static_cast<std::size_t>(best)]))
              best = static_cast<std::int32_t>(k);
          return best;
        });
    if (m_ctx.task.isCancelled()) return Failure(cancelled());
    m_ctx.say(fmt::format("{} of {} have an equal one within {:g} m", found.equal, m_points.count, m_p.unlikeWithin));
    return std::move(found.kind);
  }

  void patches(std::size_t begin, std::size_t end, Array<std::int32_t>& out) const {
    const std::size_t n = end - begin;
    Array<float> x(n), z(n), still(n), bendX(n), bendZ(n);
    for (std::size_t i = 0; i < n; ++i) {
      x[i] = m_points.position[begin + i].x;
      z[i] = m_points.position[begin + i].z;
      still[i] = 0;
    }
    NoiseSettings noise;
    noise.size = 0.5F * m_p.patchSize;
    noise.seed = static_cast<std::uint32_t>(m_ctx.draw("bend-x").bits(0));
    noiseValues(noise, x.data(), still.data(), z.data(), n, bendX.data());
    noise.seed = static_cast<std::uint32_t>(m_ctx.draw("bend-z").bits(0));
    noiseValues(noise, x.data(), still.data(), z.data(), n, bendZ.data());
    const Draw place = m_ctx.draw("patch");
    const float bend = m_p.ragged / 100 * m_p.patchSize;
    for (std::size_t i = 0; i < n; ++i) {
      const Vec3 at(x[i] + (bendX[i] - 0.5F) * bend, 0, z[i] + (bendZ[i] - 0.5F) * bend);
      out[begin + i] = m_rendezvous.chosen(patchAt(at, place, m_p.patchSize));
    }
  }

  /// The first rule that fits; without one the prop of that name, or of the name before its number ("lamp_03" is a
  /// lamp).
  std::int32_t byName(const std::string& name, std::uint64_t id) const {
    for (std::size_t r = 0; r < m_rules.size(); ++r)
      if (matches(m_rules[r].left, name))
        return m_rendezvous.chosen(id, [&](std::size_t k) { return m_fits[r][k] != 0; });
    const std::string base = name.substr(0, name.find_last_not_of("0123456789_.- ") + 1);
    for (std::size_t k = 0; k < m_kit.entries.size(); ++k)
      if (m_kit.entries[k].prop->name == name) return static_cast<std::int32_t>(k);
    for (std::size_t k = 0; k < m_kit.entries.size(); ++k)
      if (m_kit.entries[k].prop->name == base) return static_cast<std::int32_t>(k);
    return kNoProp;
  }

  std::int32_t numbered(double v) const {
    const double k = std::round(v) - 1;
    return k >= 0 && k < static_cast<double>(m_kit.entries.size()) ? static_cast<std::int32_t>(k) : kNoProp;
  }

  void byExpression(std::size_t begin, std::size_t end, Array<std::int32_t>& out) const {
    const std::size_t n = end - begin;
    std::vector<Array<double>> columns;
    std::vector<const double*> pointers;
    Array<float> numbers(n);
    for (const std::string& name : m_formula->names()) {
      readNumbers(m_points, name, begin, end, numbers.data());
      columns.emplace_back(numbers.begin(), numbers.end());
    }
    for (const Array<double>& c : columns) pointers.push_back(c.data());
    Array<double> value(n);
    m_formula->evaluate(pointers, n, value.data());
    for (std::size_t i = 0; i < n; ++i) out[begin + i] = numbered(value[i]);
  }

  const EvalContext& m_ctx;
  const Points& m_points;
  const Kit& m_kit;
  const MaskPtr& m_mask;
  const Params& m_p;
  Rendezvous m_rendezvous;
  std::vector<PropRule> m_rules;
  std::vector<std::vector<std::uint8_t>> m_fits;  // rule × prop
  const TextColumn* m_names = nullptr;
  std::optional<Formula> m_formula;
};

/// Sizes by which props fill the cells that their points carry, and places that bring their middles there.
void fillCells(const EvalContext& ctx, const Params& p, Points& points) {
  const auto* cells = columnOf<Column<Vec3>>(points.attributes, "cell");
  if (!cells) {
    ctx.warn("props are to fill the points' cells, but the points carry none; they stay as made",
             "Take the points from Courses or from a Planting grid in volume");
    return;
  }
  Array<Vec3> size = points.size.copied(points.count);
  Array<Vec3> position = points.position.copied(points.count);
  for (std::size_t i = 0; i < points.count; ++i) {
    if (points.prop[i] == kNoProp) continue;
    const Box3 box = points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop->surface->bounds();
    Vec3 middle(0);
    for (int axis = 0; axis < 3; ++axis) {
      if (!((*cells)[i][axis] > 0)) continue;  // cells of rows on a surface have no height
      if (box.extent()[axis] > 1e-5F) size[i][axis] *= p.ofCell / 100 * (*cells)[i][axis] / box.extent()[axis];
      middle[axis] = size[i][axis] * box.center()[axis];
    }
    position[i] -= points.orientation[i] * middle;
  }
  points.size = std::move(size);
  points.position = std::move(position);
}

/// What each prop's size is multiplied by; `flat` gets the names of those that have no height to be made common.
std::vector<float> factorsOf(const Kit& kit, const Params& p, std::vector<std::string>& flat) {
  const bool hasHeight = p.commonHeight == CommonHeight::Meters || p.commonHeight == CommonHeight::Tallest;
  std::vector<float> out;
  float tallest = 0;
  for (const KitEntry& e : kit.entries) tallest = std::max(tallest, e.prop->height);
  for (const KitEntry& e : kit.entries) {
    const float wanted = p.commonHeight == CommonHeight::Meters ? p.height : tallest;
    const bool isFlat = e.prop->height < 1e-5F;
    if (isFlat && hasHeight && !e.prop->isMissing) flat.push_back(e.prop->name);
    out.push_back(hasHeight && !isFlat ? wanted / e.prop->height : 1.0F);
  }
  return out;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const KitPtr kit = in.kit();
  std::vector<std::string> flat;
  const std::vector<float> factors = factorsOf(*kit, p, flat);
  for (const std::string& name : flat) ctx.warn(fmt::format("{} has no height and keeps its size", name));
  auto prop = Chooser(ctx, points, *kit, in.mask("mask"), p).run();
  if (!prop) return Failure(prop.error());
  Array<float> footprint(points.count);
  Array<Vec3> size = points.size.copied(points.count);
  for (std::size_t i = 0; i < points.count; ++i) {
    footprint[i] = points.footprint[i];
    if ((*prop)[i] == kNoProp) continue;
    const auto k = static_cast<std::size_t>((*prop)[i]);
    footprint[i] = kit->entries[k].prop->footprint;
    size[i] *= factors[k];
  }
  Points out = points;
  out.kit = kit;
  out.prop = std::move(*prop);
  out.footprint = std::move(footprint);
  out.size = std::move(size);
  if (p.commonHeight == CommonHeight::Cell) fillCells(ctx, p, out);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  std::string text;
  switch (p.way) {
    case Way::Chance: text = "Dress · at random"; break;
    case Way::Unlike: text = fmt::format("Dress · unlike within {:g} m", p.unlikeWithin); break;
    case Way::Cycle: text = "Dress · in turn"; break;
    case Way::Patches: text = fmt::format("Dress · in patches of {:g} m", p.patchSize); break;
    case Way::Ranges: text = "Dress · " + p.ranges; break;
    case Way::Name: text = p.rules.empty() ? fmt::format("Dress · by {}", p.attribute) : "Dress · " + p.rules; break;
    case Way::Index: text = fmt::format("Dress · by {}", p.index); break;
    case Way::Expression: text = "Dress · " + p.expression; break;
  }
  if (p.commonHeight == CommonHeight::Meters) return fmt::format("{}, {:g} m high", text, p.height);
  if (p.commonHeight == CommonHeight::Cell) return text + ", filling cells";
  return p.commonHeight == CommonHeight::Tallest ? text + ", all as the tallest" : text;
}

std::string faultOfRanges(const std::string& text) {
  const auto rules = parseRangeRules(text);
  return rules ? std::string() : rules.error().message;
}
std::string faultOfRules(const std::string& text) {
  const auto rules = parseNameRules(text);
  return rules ? std::string() : rules.error().message;
}
std::string faultOfFormula(const std::string& text) {
  const auto formula = Formula::compile(text);
  return formula ? std::string() : formula.error().message;
}

}  // namespace

const NodeKind& dress() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "dress";
    k.family = Family::Dress;
    k.label = ARVESK_TEXT("node", "Dress");
    k.help = ARVESK_TEXT(
        "node",
        "Gives each point a prop of the kit. At random: by weight; a point keeps its prop when others come or go: "
        "adding a prop to the kit moves points only to it, removing one moves only its own. Unlike neighbors: by "
        "weight "
        "among the props that none within a distance has; where all are taken, the one whose nearest is farthest. "
        "In turn: first, second, "
        "third… in the order of the points and the kit, so one point more or less shifts all that follow. "
        "Patches: places that lie together get the same prop, by weight. By mask: rows say which props each range of "
        "its values gets; a gap gives no prop, where ranges overlap weight decides. By name: rows say which props a "
        "text of the point gets, else the prop of that name (a number at the end is left off). "
        "By number: 1 is the kit's first prop. Expression: a formula whose rounded value is that number. The point's "
        "footprint becomes the prop's. Common height scales all props to one height, by multiplying the points' size; "
        "or props fill the cells of a grid.");
    k.glyph = "dress";
    k.synonyms = {"instance", "assign", "props", "place", "populate", "swap", "replace"};
    k.inputs = {pointsInput(),
                {"kit", ValueType::Kit, ARVESK_TEXT("node", "Kit"), ARVESK_TEXT("node", "The props to choose from."),
                 false, false},
                {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"),
                 ARVESK_TEXT("node", "For ranges: its value chooses."), true, false}};
    k.outputs = {pointsOutput()};
    k.names = [](const std::string& id, const EvalContext&, const Inputs& in, const ParamMap& values) {
      if (id == "attribute") return carriedAttributes(in, Carried::Texts);
      if (id != "rules") return std::vector<NameCount>();
      const auto it = values.find("attribute");
      const auto* name = it == values.end() ? nullptr : std::get_if<std::string>(&it->second);
      return carriedTexts(in, name ? *name : Params().attribute);
    };
    k.params = {
        param("way", &Params::way, ARVESK_TEXT("node", "Props"),
              ARVESK_TEXT("node", "What decides which prop a point gets."),
              {{"chance", ARVESK_TEXT("node", "At random")},
               {"unlike", ARVESK_TEXT("node", "Unlike neighbors")},
               {"cycle", ARVESK_TEXT("node", "In turn")},
               {"patches", ARVESK_TEXT("node", "In patches")},
               {"ranges", ARVESK_TEXT("node", "By mask")},
               {"name", ARVESK_TEXT("node", "By name")},
               {"index", ARVESK_TEXT("node", "By number")},
               {"expression", ARVESK_TEXT("node", "Expression")}}),
        param("unlike_within", &Params::unlikeWithin, ARVESK_TEXT("node", "Differ within"),
              ARVESK_TEXT("node", "How near to each other no two points should have the same prop."))
            .in(Unit::Meter)
            .hard(0.001, 1e5)
            .usual(0.1, 20, 0.1)
            .shown("way", {"unlike"}),
        param("patch_size", &Params::patchSize, ARVESK_TEXT("node", "Patch size"),
              ARVESK_TEXT("node", "About how wide a patch of one prop is."))
            .in(Unit::Meter)
            .hard(0.001, 1e5)
            .usual(0.5, 50, 0.5)
            .shown("way", {"patches"}),
        param("ragged", &Params::ragged, ARVESK_TEXT("node", "Ragged"),
              ARVESK_TEXT("node", "How far noise bends the outlines, as a share of the patch size."))
            .in(Unit::Percent)
            .hard(0, 200)
            .usual(0, 100, 1)
            .shown("way", {"patches"}),
        param("ranges", &Params::ranges, ARVESK_TEXT("node", "Ranges"),
              ARVESK_TEXT("node",
                          "A row for each range of the mask's values and the props it gives, by name; * and ? stand "
                          "for any letters. "
                          "As text: 0 to 0.3: marram*; 0.2 to 1: sea kale"))
            .checked(&faultOfRanges)
            .written(TextForm::RangeRules)
            .shown("way", {"ranges"}),
        param("attribute", &Params::attribute, ARVESK_TEXT("node", "Text"),
              ARVESK_TEXT("node", "The text that the points carry."))
            .shown("way", {"name"}),
        param("rules", &Params::rules, ARVESK_TEXT("node", "Rules"),
              ARVESK_TEXT("node",
                          "A row for each text of the points and the props it gives; * and ? stand for any letters, "
                          "and the first "
                          "row that fits counts. As text: post_*: mooring post; *: bollard"))
            .checked(&faultOfRules)
            .written(TextForm::NameRules)
            .shown("way", {"name"}),
        param("index", &Params::index, ARVESK_TEXT("node", "Number"),
              ARVESK_TEXT("node", "The number that the points carry; 1 is the first prop."))
            .shown("way", {"index"}),
        param(
            "expression", &Params::expression, ARVESK_TEXT("node", "Expression"),
            ARVESK_TEXT(
                "node",
                "Over x, y, z, height, slope, size, footprint and attributes; its rounded value is the prop's number."))
            .checked(&faultOfFormula)
            .shown("way", {"expression"}),
        param("common_height", &Params::commonHeight, ARVESK_TEXT("node", "Height"),
              ARVESK_TEXT("node",
                          "As made, one height for all, or all as high as the tallest. Or as large as the cell that "
                          "each point of Courses or of a Planting grid in volume carries, on every axis that it has, "
                          "with its middle there."),
              {{"as-made", ARVESK_TEXT("node", "As made")},
               {"meters", ARVESK_TEXT("node", "In meters")},
               {"tallest", ARVESK_TEXT("node", "As the tallest")},
               {"cell", ARVESK_TEXT("node", "Fill the cell")}}),
        param("height", &Params::height, ARVESK_TEXT("node", "Common height"),
              ARVESK_TEXT("node", "Height of every prop at size 1."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.1, 20, 0.1)
            .shown("common_height", {"meters"}),
        param("of_cell", &Params::ofCell, ARVESK_TEXT("node", "Of the cell"),
              ARVESK_TEXT("node", "How much of its cell a prop fills; what is left are the joints."))
            .in(Unit::Percent)
            .hard(1, 200)
            .usual(50, 100, 1)
            .shown("common_height", {"cell"}),
    };
    k.usesSeed = true;
    k.example.spacing = 2.2;
    k.trial.params = {{"way", std::string("patches")}};
    reaches<Params>(k, [](const Params& p) {
      return p.way == Way::Cycle || p.way == Way::Unlike ? Reach::whole(true) : Reach::none();
    });
    carries<Params>(k, [](const Params& p) -> std::optional<Carries> {
      if (p.commonHeight == CommonHeight::Cell) return {};  // a prop's middle goes where its cell's is
      return Carries{};
    });
    hasAtMost<Params>(k, [](const Params& p, const Most& came, const Inputs& in) -> std::optional<Most> {
      const KitPtr kit = in.kit();
      if (p.commonHeight == CommonHeight::Cell || !kit) return {};
      std::vector<std::string> flat;
      float largest = 1;
      for (const float factor : factorsOf(*kit, p, flat)) largest = std::max(largest, factor);
      Most out{came.footprint, came.size * largest};
      for (const KitEntry& e : kit->entries) out.footprint = std::max(out.footprint, e.prop->footprint);
      return out;
    });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
