// How much of its final points a node that makes points places in draft: what the plan says, or a share of its own (few
// large things whole, the mass thin).
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

enum class InDraft { Plan, Own };

struct DraftShare {
  InDraft inDraft = InDraft::Plan;
  float ownDraftShare = 100;  // percent
};

inline float draftShareOf(const EvalContext& ctx, const DraftShare& p) {
  return ctx.quality == Quality::Draft && p.inDraft == InDraft::Own ? p.ownDraftShare / 100 : ctx.draftShare;
}

template <typename P>
void addDraftParams(std::vector<ParamSpec>& params) {
  params.push_back(param<P>("in_draft", static_cast<InDraft P::*>(&P::inDraft), ARVESK_TEXT("node", "Draft places"),
                            ARVESK_TEXT("node",
                                        "The plan's share of the final points, or one of this node's own: all of few "
                                        "large things, little of what covers the ground."),
                            {{"plan", ARVESK_TEXT("node", "As plan")}, {"own", ARVESK_TEXT("node", "Own share")}}));
  params.push_back(param<P>("draft_share", static_cast<float P::*>(&P::ownDraftShare), ARVESK_TEXT("node", "Own share"),
                            ARVESK_TEXT("node", "Of the final points, always the same ones."))
                       .in(Unit::Percent)
                       .hard(1, 100)
                       .usual(1, 100, 1)
                       .shown("in_draft", {"own"}));
}

}  // namespace arvesk::nodes
