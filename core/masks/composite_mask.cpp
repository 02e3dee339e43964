#include "core/masks/composite_mask.h"

#include <unordered_map>

namespace arvesk {

/// What was answered at the places of one call from outside, by masks that are asked more than once there.
struct Asked {
  /// Places that were picked out of others, as Blend does once most count nothing.
  struct Some {
    const Points* at;
    const Points* from;
    const Array<std::uint32_t>* rows;
  };
  struct Answers {
    std::vector<char> isKnown;
    Array<float> value;
  };
  const std::unordered_set<const Mask*>* shared;
  const Points* at;
  std::size_t begin;
  std::size_t count;
  std::vector<Some> some{};
  std::unordered_map<const Mask*, Answers> answers{};

  /// The row of the first places that stands at `i` of `points`; −1 when these are others.
  std::ptrdiff_t rowOf(const Points& points, std::size_t i) const {
    const Points* now = &points;
    for (auto s = some.rbegin(); s != some.rend() && now != at; ++s)
      if (s->at == now) {
        now = s->from;
        i = (*s->rows)[i];
      }
    return now == at && i >= begin && i < begin + count ? static_cast<std::ptrdiff_t>(i - begin) : -1;
  }
  bool covers(const Points& points, std::size_t first, std::size_t end) const {
    return first == end || (rowOf(points, first) >= 0 && rowOf(points, end - 1) >= 0);
  }
};

namespace {
thread_local Asked* t_asked = nullptr;  // of the call from outside that this thread is in
}

CompositeMask::CompositeMask(std::vector<MaskPtr> parts, std::size_t bytes)
    : m_parts(std::move(parts)), m_bytes(bytes) {
  std::unordered_set<const Mask*> seen;
  std::vector<const CompositeMask*> open{this};
  while (!open.empty()) {
    const CompositeMask* mask = open.back();
    open.pop_back();
    for (const MaskPtr& part : mask->m_parts) {
      if (!part) continue;
      if (!seen.insert(part.get()).second)
        m_shared.insert(part.get());
      else if (const auto* composite = dynamic_cast<const CompositeMask*>(part.get()))
        open.push_back(composite);
    }
  }
  for (const MaskPtr& part : m_parts) {
    if (!part) continue;
    m_depth = std::max(m_depth, part->depth() + 1);
    m_isSearching = m_isSearching || part->isSearching();
    part->addNames(m_numbers, m_texts);
  }
}

void CompositeMask::addNames(std::set<std::string>& numbers, std::set<std::string>& texts) const {
  numbers.insert(m_numbers.begin(), m_numbers.end());
  texts.insert(m_texts.begin(), m_texts.end());
}

void CompositeMask::countBytes(ByteCounter& counter) const {
  if (!counter.add(this, m_bytes)) return;
  for (const MaskPtr& part : m_parts)
    if (part) part->countBytes(counter);
}

void CompositeMask::values(const Points& at, std::size_t begin, std::size_t end, float* out) const {
  if (m_shared.empty() || (t_asked && t_asked->covers(at, begin, end))) return combine(at, begin, end, out);
  Asked asked{&m_shared, &at, begin, end - begin};
  struct Here {
    Asked* before = t_asked;
    ~Here() { t_asked = before; }
  } here;
  t_asked = &asked;
  combine(at, begin, end, out);
}

void CompositeMask::ask(std::size_t k, const Points& at, std::size_t begin, std::size_t end, float* out) const {
  const Mask& part = *m_parts[k];
  Asked* asked = t_asked;
  if (!asked || !asked->shared->contains(&part) || !asked->covers(at, begin, end))
    return part.values(at, begin, end, out);
  Asked::Answers& answers = asked->answers[&part];
  if (answers.isKnown.empty()) {
    answers.isKnown.assign(asked->count, 0);
    answers.value.resize(asked->count);
  }
  Array<std::uint32_t> rows(end - begin);
  Array<std::uint32_t> open;  // places of `at` that nobody asked for yet
  for (std::size_t i = begin; i < end; ++i) {
    rows[i - begin] = static_cast<std::uint32_t>(asked->rowOf(at, i));
    if (!answers.isKnown[rows[i - begin]]) open.push_back(static_cast<std::uint32_t>(i));
  }
  const auto keep = [&](std::size_t i, float value) {
    answers.isKnown[rows[i - begin]] = 1;
    answers.value[rows[i - begin]] = value;
  };
  if (open.size() == end - begin) {
    part.values(at, begin, end, out);
    for (std::size_t i = begin; i < end; ++i) keep(i, out[i - begin]);
    return;
  }
  if (!open.empty()) {
    const Points some = gathered(at, open);
    Array<float> values(open.size());
    asked->some.push_back({&some, &at, &open});
    part.values(some, 0, open.size(), values.data());
    asked->some.pop_back();
    for (std::size_t n = 0; n < open.size(); ++n) keep(open[n], values[n]);
  }
  for (std::size_t i = begin; i < end; ++i) out[i - begin] = answers.value[rows[i - begin]];
}

void CompositeMask::askSome(std::size_t k, const Points& at, const Points& from, const Array<std::uint32_t>& rows,
                            float* out) const {
  Asked* asked = t_asked;
  if (asked) asked->some.push_back({&at, &from, &rows});
  ask(k, at, 0, rows.size(), out);
  if (asked) asked->some.pop_back();
}

}  // namespace arvesk
