// At home: one point per prop of a kit, where it lies in its file or body, dressed with it.
#include "core/geometry/prop.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params {
  Vec3 move{0};
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const KitPtr kit = in.kit();
  Array<Vec3> position;
  Array<Quat> orientation;
  Array<Vec3> size;
  Array<float> footprint;
  Array<std::uint64_t> id;
  Array<std::int32_t> prop;
  std::size_t missing = 0;
  for (std::size_t k = 0; k < kit->entries.size(); ++k) {
    const Prop& its = *kit->entries[k].prop;
    missing += its.isMissing;
    if (its.isMissing) continue;  // nobody knows where it lies
    position.push_back(its.home.position + p.move);
    orientation.push_back(its.home.turn);
    size.push_back(its.home.size);
    footprint.push_back(its.footprint);
    id.push_back(ctx.idOf(hashText(its.uid)));
    prop.push_back(static_cast<std::int32_t>(k));
  }
  if (missing > 0)
    ctx.warn(fmt::format("{} props could not be read, so nothing says where they lie", missing),
             "See the Kit for what is wrong with them");
  Points out;
  out.count = id.size();
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.size = std::move(size);
  out.footprint = std::move(footprint);
  out.id = std::move(id);
  out.kit = kit;
  out.prop = std::move(prop);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params&) { return "where they belong"; }

}  // namespace

const NodeKind& atHome() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "at-home";
    k.family = Family::Dress;
    k.label = ARVESK_TEXT("node", "At home");
    k.help = ARVESK_TEXT(
        "node",
        "One point per prop of the kit, where it lies in its own file, dressed with it: a file that "
        "the Kit split into props stands there as its maker laid it out, each piece to be moved, left "
        "out or swapped; pieces of Break up lie where they were broken off. Props that are files of their own "
        "lie where their pivots are.");
    k.glyph = "at-home";
    k.synonyms = {"layout", "assembled", "origin", "pieces", "split", "parts"};
    k.inputs = {{"kit", ValueType::Kit, ARVESK_TEXT("node", "Kit"),
                 ARVESK_TEXT("node", "The props that are set where they lie."), false, false}};
    k.outputs = {pointsOutput()};
    k.params = {param("move", &Params::move, ARVESK_TEXT("node", "Move"),
                      ARVESK_TEXT("node", "All of them, from where they lie."))
                    .in(Unit::Meter)
                    .hard(-1e5, 1e5)
                    .usual(-50, 50, 0.1)};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
