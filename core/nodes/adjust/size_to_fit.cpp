// Size to fit: placements take given lengths along their own axes.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/named_props.h"
#include "core/nodes/registry.h"
#include "core/props/quantities.h"

#include <fmt/format.h>

#include <optional>

namespace arvesk::nodes {
namespace {

enum class Takes { Free, Length, Number };
enum class Proportion { Free, Within, Covering };
struct Params {
  Takes x = Takes::Number;
  float lengthX = 1;
  std::string numberX = "cell_x";
  Takes y = Takes::Free;
  float lengthY = 1;
  std::string numberY = "cell_y";
  Takes z = Takes::Number;
  float lengthZ = 1;
  std::string numberZ = "cell_z";
  Proportion proportion = Proportion::Free;
  float margin = 0;
  float amount = 100;
};

/// The lengths along one axis, m; nothing when the axis is left as it is.
Result<std::optional<Array<float>>> lengthsOf(const Points& points, Takes takes, float length,
                                              const std::string& name) {
  if (takes == Takes::Free) return std::optional<Array<float>>();
  Array<float> out(points.count);
  if (takes == Takes::Length)
    std::fill(out.begin(), out.end(), length);
  else if (!readNumbers(points, name, 0, points.count, out.data()))
    return fail(ProblemCode::WrongInput, fmt::format("the points carry no number \"{}\"", name),
                "They carry: " + listOf(numberNames(points)));
  return std::optional(std::move(out));
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  std::array<std::optional<Array<float>>, 3> wanted;
  const std::array<Takes, 3> takes{p.x, p.y, p.z};
  const std::array<float, 3> length{p.lengthX, p.lengthY, p.lengthZ};
  const std::array<const std::string*, 3> number{&p.numberX, &p.numberY, &p.numberZ};
  bool takesAny = false;
  for (std::size_t a = 0; a < 3; ++a) {
    auto lengths = lengthsOf(points, takes[a], length[a], *number[a]);
    if (!lengths) return Failure(lengths.error());
    wanted[a] = std::move(*lengths);
    takesAny = takesAny || wanted[a];
  }
  if (!takesAny) ctx.warn("no axis is given a length, so nothing changes", "Give one a length or a number");
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  const Extents extents(points);
  Array<Vec3> size = points.size.copied(points.count);
  std::size_t tooShort = 0;
  std::size_t flat = 0;
  for (std::size_t i = 0; i < points.count; ++i) {
    endIfStoppedAt(i);
    const Vec3 own = extents.atSizeOne(i);
    Vec3 target = size[i];
    std::optional<float> factor;  // on the size that it has, for all axes at once
    bool isTooShort = false;
    bool isFlat = false;
    for (int a = 0; a < 3; ++a) {
      if (!wanted[static_cast<std::size_t>(a)]) continue;
      const float room = (*wanted[static_cast<std::size_t>(a)])[i] - 2 * p.margin;
      if (!(room > 0)) {
        isTooShort = true;
        continue;
      }
      if (own[a] < 1e-6F || std::abs(size[i][a]) < 1e-9F) {
        isFlat = true;
        continue;
      }
      target[a] = std::copysign(room / own[a], size[i][a]);
      const float f = target[a] / size[i][a];
      factor = !factor ? f : p.proportion == Proportion::Within ? std::min(*factor, f) : std::max(*factor, f);
    }
    tooShort += isTooShort;
    flat += isFlat && !isTooShort;
    if (isTooShort) continue;
    if (p.proportion != Proportion::Free) target = size[i] * factor.value_or(1.0F);
    size[i] += (target - size[i]) * effect[i];
  }
  if (tooShort > 0)
    ctx.warn(fmt::format("{} points have no length left to fit: they keep their size", tooShort),
             "Lower the margin, or look at the number that they carry");
  if (flat > 0)
    ctx.warn(fmt::format("{} placements have no extent along an axis that is to be fitted", flat),
             "Leave that axis as it is, or choose another prop");
  Points out = points;
  out.size = std::move(size);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  std::string to;
  const auto add = [&](Takes takes, float length, const std::string& number) {
    if (takes == Takes::Free) return;
    to += to.empty() ? "" : ", ";
    to += takes == Takes::Length ? fmt::format("{:g} m", length) : number;
  };
  add(p.x, p.lengthX, p.numberX);
  add(p.y, p.lengthY, p.numberY);
  add(p.z, p.lengthZ, p.numberZ);
  return to.empty() ? "no axis" : fmt::format("fits {}", to);
}

}  // namespace

const NodeKind& sizeToFit() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "size-to-fit";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Size to fit");
    k.help = ARVESK_TEXT("node",
                         "Sizes each placement so that its prop's real geometry is as long along its own axes as is "
                         "asked for: a fixed length, or a number that the point carries, such as cell_x and cell_z of "
                         "Courses or face-width and face-length of Points of surface. Comes after Dress; points "
                         "without a prop count as 1 m.");
    k.glyph = "size-to-fit";
    k.synonyms = {"scale", "extent", "bounds", "stretch", "length", "width"};
    k.inputs = {pointsInput(), adjustWhereInput()};
    k.outputs = {pointsOutput()};
    carriesNowhere(k);
    const auto axis = [&](const char* id, Takes Params::*way, const char* label, const char* lengthId,
                          float Params::*length, const char* lengthLabel, const char* numberId,
                          std::string Params::*number, const char* numberLabel) {
      k.params.push_back(param(id, way, label, ARVESK_TEXT("node", "How long the placement is along this own axis."),
                               {{"free", ARVESK_TEXT("node", "As it is")},
                                {"length", ARVESK_TEXT("node", "A length")},
                                {"number", ARVESK_TEXT("node", "A number")}}));
      k.params.push_back(
          param(lengthId, length, lengthLabel, ARVESK_TEXT("node", "Of the placement along this own axis."))
              .in(Unit::Meter)
              .hard(0.0001, 1e5)
              .usual(0.05, 20, 0.05)
              .shown(id, {"length"}));
      k.params.push_back(
          param(numberId, number, numberLabel, ARVESK_TEXT("node", "Name of the number that says the length in m."))
              .shown(id, {"number"}));
    };
    axis("x", &Params::x, ARVESK_TEXT("node", "X fits"), "x_length", &Params::lengthX, ARVESK_TEXT("node", "X length"),
         "x_number", &Params::numberX, ARVESK_TEXT("node", "X number"));
    axis("y", &Params::y, ARVESK_TEXT("node", "Y fits"), "y_length", &Params::lengthY, ARVESK_TEXT("node", "Y length"),
         "y_number", &Params::numberY, ARVESK_TEXT("node", "Y number"));
    axis("z", &Params::z, ARVESK_TEXT("node", "Z fits"), "z_length", &Params::lengthZ, ARVESK_TEXT("node", "Z length"),
         "z_number", &Params::numberZ, ARVESK_TEXT("node", "Z number"));
    k.params.push_back(
        param("proportion", &Params::proportion, ARVESK_TEXT("node", "Proportion"),
              ARVESK_TEXT("node",
                          "Each axis by itself, or all by one factor: so that it stays within all of the "
                          "lengths, or reaches all of them."),
              {{"free", ARVESK_TEXT("node", "Each axis")},
               {"within", ARVESK_TEXT("node", "Kept, within")},
               {"covering", ARVESK_TEXT("node", "Kept, covering")}}));
    k.params.push_back(param("margin", &Params::margin, ARVESK_TEXT("node", "Margin"),
                             ARVESK_TEXT("node",
                                         "Left free at both ends of every axis that is fitted; below 0 reaches "
                                         "over."))
                           .in(Unit::Meter)
                           .hard(-1e4, 1e4)
                           .usual(-0.1, 1, 0.005));
    k.params.push_back(amountParam(&Params::amount));
    k.example.params = {{"x", std::string("length")}, {"x_length", 0.4},
                        {"y", std::string("length")}, {"y_length", 2.2},
                        {"z", std::string("length")}, {"z_length", 0.4}};
    k.example.spacing = 1.9;
    k.trial.params = {{"x", std::string("length")}, {"x_length", 0.6}, {"y", std::string("length")}, {"y_length", 2.0},
                      {"z", std::string("length")}, {"z_length", 0.7}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
