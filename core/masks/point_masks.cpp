#include "core/masks/point_masks.h"

#include "core/base/pattern.h"
#include "core/masks/composite_mask.h"
#include "core/props/quantities.h"
#include "core/spatial/clearance.h"

namespace arvesk {
namespace {

class NumberMask final : public BandMask {
 public:
  NumberMask(std::string name, float fallback, Band band, MaskFinish finish)
      : BandMask(band, finish), m_name(std::move(name)), m_fallback(fallback) {}
  void countBytes(ByteCounter& counter) const override { counter.add(this, sizeof(*this)); }
  void addNames(std::set<std::string>& numbers, std::set<std::string>&) const override { numbers.insert(m_name); }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    if (!readNumbers(at, m_name, begin, end, out)) std::fill(out, out + (end - begin), m_fallback);
    return true;
  }

 private:
  std::string m_name;
  float m_fallback;
};

class TextMask final : public Mask {
 public:
  TextMask(std::string name, std::string patterns, MaskFinish finish)
      : m_name(std::move(name)), m_patterns(patterns), m_finish(finish) {}
  void countBytes(ByteCounter& counter) const override { counter.add(this, sizeof(*this)); }
  void addNames(std::set<std::string>&, std::set<std::string>& texts) const override { texts.insert(m_name); }
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    for (std::size_t i = begin; i < end; ++i) {
      const auto text = readText(at, m_name, i);
      out[i - begin] = m_finish.apply(text && m_patterns.match(*text) ? 1.0F : 0.0F);
    }
  }

 private:
  std::string m_name;
  Patterns m_patterns;
  MaskFinish m_finish;
};

class RandomMask final : public BandMask {
 public:
  RandomMask(Draw draw, DrawPer per, Band band, MaskFinish finish) : BandMask(band, finish), m_draw(draw), m_per(per) {}
  void countBytes(ByteCounter& counter) const override { counter.add(this, sizeof(*this)); }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    const bool isBareGround = at.id.isConstant();
    for (std::size_t i = begin; i < end; ++i) {
      std::uint64_t id = drawId(at, m_per, i);
      if (isBareGround) {
        const Vec3 cell = glm::floor(at.position[i] * 10.0F);
        id = hashOf(static_cast<std::uint64_t>(static_cast<std::int64_t>(cell.x)),
                    static_cast<std::uint64_t>(static_cast<std::int64_t>(cell.z)));
      }
      out[i - begin] = m_draw.unit(id);
    }
    return true;
  }

 private:
  Draw m_draw;
  DrawPer m_per;
};

class FormulaMask final : public CompositeMask {
 public:
  FormulaMask(Formula formula, const std::vector<MaskPtr>& masks, MaskFinish finish)
      : CompositeMask(masks, sizeof(*this)), m_formula(std::move(formula)), m_finish(finish) {
    for (const std::string& name : m_formula.names())
      if (!placeOf(name)) readsNumber(name);
  }

 private:
  void combine(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    const std::size_t n = end - begin;
    std::vector<std::vector<double>> columns;
    std::vector<const double*> starts;
    for (const std::string& name : m_formula.names()) {
      if (const auto k = placeOf(name)) {
        if (parts()[*k])
          ask(*k, at, begin, end, out);
        else
          std::fill(out, out + n, 0.0F);
      } else {
        readNumbers(at, name, begin, end, out);
      }
      columns.emplace_back(out, out + n);
      starts.push_back(columns.back().data());
    }
    std::vector<double> result(n);
    m_formula.evaluate(starts, n, result.data());
    for (std::size_t i = 0; i < n; ++i) out[i] = m_finish.apply(std::clamp(static_cast<float>(result[i]), 0.0F, 1.0F));
  }
  /// Of the mask with that name: a is the first.
  std::optional<std::size_t> placeOf(const std::string& name) const {
    const std::size_t k = name.size() == 1 ? static_cast<std::size_t>(name[0] - 'a') : parts().size();
    return k < parts().size() ? std::optional(k) : std::nullopt;
  }

  Formula m_formula;
  MaskFinish m_finish;
};

class CurveMask final : public CompositeMask {
 public:
  CurveMask(const MaskPtr& mask, CurveShape curve, MaskFinish finish)
      : CompositeMask({mask}, sizeof(*this)), m_curve(std::move(curve)), m_finish(finish) {}
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    parts().front()->values(at, begin, end, out);
    return true;
  }

 private:
  void combine(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    ask(0, at, begin, end, out);
    for (std::size_t i = 0; i < end - begin; ++i)
      out[i] = m_finish.apply(std::clamp(m_curve.at(std::clamp(out[i], 0.0F, 1.0F)), 0.0F, 1.0F));
  }

  CurveShape m_curve;
  MaskFinish m_finish;
};

class PaintedMask final : public Mask {
 public:
  PaintedMask(const Strokes& strokes, MaskFinish finish) : m_dabs(strokes.dabs), m_finish(finish) {
    Array<PointGrid::Entry> entries;
    for (std::size_t i = 0; i < m_dabs.size(); ++i)
      if (m_dabs[i].radius > 0 && isFinite(m_dabs[i].place)) {
        m_hasSides = m_hasSides || m_dabs[i].side != Vec3(0);
        entries.push_back({m_dabs[i].place, m_dabs[i].radius, static_cast<std::uint32_t>(i)});
      }
    ConflictRule rule;
    m_grids = gridsBySize(entries, rule);
  }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this) + m_dabs.capacity() * sizeof(Dab));
    for (const PointGrid& grid : m_grids) grid.countBytes(counter);
  }
  /// Which side a place is on is told by its ground's normal.
  bool isOfPlaceAlone() const override { return !m_hasSides; }
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    std::vector<std::uint32_t> covering;
    for (std::size_t i = begin; i < end; ++i) {
      covering.clear();
      const Vec3 place = at.position[i];
      for (const PointGrid& grid : m_grids)
        grid.near(place, grid.largestRadius(), [&](const PointGrid::Entry& e) {
          const Vec3 d = e.position - place;
          if (glm::dot(d, d) < e.radius * e.radius) covering.push_back(e.index);
          return false;
        });
      std::sort(covering.begin(), covering.end());
      covering.erase(std::unique(covering.begin(), covering.end()), covering.end());
      float v = 0;
      for (const std::uint32_t k : covering) {
        const Dab& dab = m_dabs[k];
        if (m_hasSides && dab.side != Vec3(0) && glm::dot(dab.side, at.groundNormal[i]) <= 0) continue;
        const float hard = dab.radius * (1 - std::clamp(dab.softness, 0.0F, 1.0F));
        const float share = Band{-1, 0, hard, dab.radius}.weight(glm::distance(dab.place, place)) *
                            std::clamp(std::abs(dab.strength), 0.0F, 1.0F);
        v = dab.strength > 0 ? v + (1 - v) * share : v * (1 - share);
      }
      out[i - begin] = m_finish.apply(v);
    }
  }

 private:
  std::vector<Dab> m_dabs;
  bool m_hasSides = false;
  std::vector<PointGrid> m_grids;
  MaskFinish m_finish;
};

}  // namespace

MaskPtr makeNumberMask(std::string name, float fallback, Band band, MaskFinish finish) {
  return std::make_shared<NumberMask>(std::move(name), fallback, band, finish);
}
MaskPtr makeTextMask(std::string name, std::string patterns, MaskFinish finish) {
  return std::make_shared<TextMask>(std::move(name), std::move(patterns), finish);
}
MaskPtr makeRandomMask(Draw draw, DrawPer per, Band band, MaskFinish finish) {
  return std::make_shared<RandomMask>(draw, per, band, finish);
}
MaskPtr makeFormulaMask(Formula formula, std::vector<MaskPtr> masks, MaskFinish finish) {
  return std::make_shared<FormulaMask>(std::move(formula), masks, finish);
}
MaskPtr makeCurveMask(MaskPtr mask, CurveShape curve, MaskFinish finish) {
  return std::make_shared<CurveMask>(mask, std::move(curve), finish);
}
MaskPtr makePaintedMask(const Strokes& strokes, MaskFinish finish) {
  return std::make_shared<PaintedMask>(strokes, finish);
}

namespace {

class PropFrameMask final : public Mask {
 public:
  explicit PropFrameMask(MaskPtr mask) : m_mask(std::move(mask)) {}
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    if (const auto on = onProps(at, begin, end))
      m_mask->values(*on, 0, on->count, out);
    else
      std::fill(out, out + (end - begin), 0.0F);
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    const auto on = onProps(at, begin, end);
    if (on) return m_mask->measure(*on, 0, on->count, out);
    std::fill(out, out + (end - begin), 0.0F);
    return false;
  }
  void addNames(std::set<std::string>& numbers, std::set<std::string>& texts) const override {
    numbers.insert(std::string(kPropPlace) + "_x");
    m_mask->addNames(numbers, texts);
  }
  void countBytes(ByteCounter& counter) const override { m_mask->countBytes(counter); }
  bool isSearching() const override { return m_mask->isSearching(); }
  int depth() const override { return m_mask->depth() + 1; }

 private:
  /// The points, each where it lies on its prop; nothing when they do not say.
  static std::optional<Points> onProps(const Points& at, std::size_t begin, std::size_t end) {
    const auto* place = columnOf<Column<Vec3>>(at.attributes, kPropPlace);
    const auto* normal = columnOf<Column<Vec3>>(at.attributes, kPropNormal);
    if (!place || !normal) return {};
    Points out;
    out.count = end - begin;
    Array<Vec3> positions(out.count);
    Array<Vec3> normals(out.count);
    Array<std::uint64_t> ids(out.count);
    for (std::size_t i = begin; i < end; ++i) {
      positions[i - begin] = (*place)[i];
      normals[i - begin] = (*normal)[i];
      ids[i - begin] = at.id[i];
    }
    out.position = std::move(positions);
    out.groundNormal = std::move(normals);
    out.id = std::move(ids);
    return out;
  }

  MaskPtr m_mask;
};

}  // namespace

MaskPtr makeInPropFrame(MaskPtr mask) { return std::make_shared<const PropFrameMask>(std::move(mask)); }

}  // namespace arvesk
