// How much of its final points a node that makes points places in draft: what the plan says, or a share of its own (few
// large things whole, the mass thin).
#pragma once

#include "core/geometry/points.h"
#include "core/plan/node_kind.h"

namespace arvesk::nodes {

enum class InDraft { Plan, Own };

struct DraftShare {
  InDraft inDraft = InDraft::Plan;
  float ownDraftShare = 100;  // percent
};

/// What tells early, before a point is made, that no draft of the context's share delivers it.
class DraftTest {
 public:
  DraftTest(const EvalContext& ctx, const DraftShare& p)
      : m_share(ctx.draftShare >= 1          ? 1
                : p.inDraft == InDraft::Plan ? ctx.draftShare
                                             : p.ownDraftShare / 100) {}
  bool isWhole() const { return m_share >= 1; }
  bool holds(std::uint64_t pointId) const { return m_share >= 1 || Points::draftRank(pointId) < m_share; }

 private:
  float m_share;
};

/// The points' levels: at which share of the plan's draft each is delivered.
inline Column<float> draftLevels(const DraftShare& p, const Column<std::uint64_t>& ids, std::size_t count) {
  if (p.inDraft == InDraft::Plan) return Column<float>(kDraftByRank);
  if (p.ownDraftShare >= 100) return Column<float>(0.0F);
  Array<float> level(count);
  for (std::size_t i = 0; i < count; ++i)
    level[i] = Points::draftRank(ids[i]) < p.ownDraftShare / 100 ? 0 : kNeverInDraft;
  return Column<float>(std::move(level));
}

template <typename P>
void addDraftParams(std::vector<ParamSpec>& params) {
  params.push_back(param<P>("in_draft", static_cast<InDraft P::*>(&P::inDraft), ARVESK_TEXT("node", "Draft share"),
                            ARVESK_TEXT("node",
                                        "The plan's share of the final points, or one of this node's own: all of few "
                                        "large things, little of what covers the ground."),
                            {{"plan", ARVESK_TEXT("node", "The plan's")}, {"own", ARVESK_TEXT("node", "Its own")}}));
  params.push_back(param<P>("draft_share", static_cast<float P::*>(&P::ownDraftShare), ARVESK_TEXT("node", "Own share"),
                            ARVESK_TEXT("node", "Of the final points, always the same ones."))
                       .in(Unit::Percent)
                       .hard(1, 100)
                       .usual(1, 100, 1)
                       .shown("in_draft", {"own"}));
  putUnder(params, ARVESK_TEXT("node", "Draft"), {"in_draft", "draft_share"});
}

}  // namespace arvesk::nodes
