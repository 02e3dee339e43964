// Props that a parameter names one by one, beside the Kit that comes in. Nodes of the hand share it.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

struct NamedProps {
  KitPtr kit;                       // what comes in, then what is named beside it; null where there is neither
  std::size_t ofKit = 0;            // that many entries came in
  std::vector<std::int32_t> place;  // in the kit, by number from 1; kNoProp for 0 and for what is not there

  std::int32_t at(std::uint32_t number) const { return number < place.size() ? place[number] : kNoProp; }
  const Prop* propAt(std::int32_t i) const {
    return i == kNoProp || !kit ? nullptr : kit->entries[static_cast<std::size_t>(i)].prop.get();
  }
};

/// For props named by uid, of which number k + 1 is used `uses[k]` times. `isMissed` is told those that are used and in
/// no Kit.
NamedProps namedProps(const EvalContext& ctx, const KitPtr& given, const std::vector<std::string>& uids,
                      const std::vector<std::size_t>& uses,
                      const std::function<void(std::size_t uses, const std::string& uid)>& isMissed);

}  // namespace arvesk::nodes
