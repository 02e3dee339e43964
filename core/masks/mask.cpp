#include "core/masks/mask.h"

#include "core/base/task.h"
#include "core/masks/composite_mask.h"
#include "core/spatial/ground.h"

namespace arvesk {
namespace {

class SlopeMask final : public BandMask {
 public:
  SlopeMask(SurfacePtr ground, Band band, MaskFinish finish) : BandMask(band, finish), m_ground(std::move(ground)) {}
  bool isSearching() const override { return m_ground != nullptr; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    if (m_ground) m_ground->countBytes(counter);
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    measureSlope(at, m_ground ? SlopeOf::Ground : SlopeOf::GroundRecord, m_ground.get(), begin, end, out);
    return true;
  }

 private:
  SurfacePtr m_ground;
};

class HeightMask final : public BandMask {
 public:
  HeightMask(SurfacePtr ground, Band band, MaskFinish finish) : BandMask(band, finish) {
    if (!ground) return;
    const Box3 box = ground->bounds();
    m_base = box.min.y;
    m_perMeter = box.extent().y > 0 ? 1 / box.extent().y : 0;
  }
  void countBytes(ByteCounter& counter) const override { counter.add(this, sizeof(*this)); }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    for (std::size_t i = begin; i < end; ++i) out[i - begin] = (at.position[i].y - m_base) * m_perMeter;
    return true;
  }
  bool isOfPlaceAlone() const override { return true; }
  bool isZeroIn(const Box3& box) const override {
    return isZeroBetween((box.min.y - m_base) * m_perMeter, (box.max.y - m_base) * m_perMeter);
  }

 private:
  float m_base = 0;
  float m_perMeter = 1;
};

class PictureMask final : public BandMask {
 public:
  PictureMask(ImagePtr image, PictureMap map, Band band, MaskFinish finish)
      : BandMask(band, finish), m_image(std::move(image)), m_map(map) {}
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    counter.add(m_image.get(), m_image->values.capacity() * sizeof(float));
  }
  bool isOfPlaceAlone() const override { return !m_map.isByUv; }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    for (std::size_t i = begin; i < end; ++i) out[i - begin] = at_(at, i);
    return true;
  }

 private:
  float at_(const Points& at, std::size_t i) const {
    Vec2 uv = m_map.isByUv ? at.groundUv[i] : (Vec2(at.position[i].x, at.position[i].z) - m_map.corner) / m_map.extent;
    uv *= static_cast<float>(m_map.repeats);
    if (m_map.tiles) {
      uv -= glm::floor(uv);
    } else {
      const float limit = static_cast<float>(m_map.repeats);
      if (uv.x < 0 || uv.y < 0 || uv.x > limit || uv.y > limit) return 0;
      if (m_map.repeats > 1) uv -= glm::floor(uv);
    }
    const int channels = m_image->channels;
    if (m_map.channel == PictureChannel::Brightness) {
      if (channels < 3) return m_image->sampled(uv.x, uv.y, 0);
      // Weights of Rec. ITU-R BT.709.
      return 0.2126F * m_image->sampled(uv.x, uv.y, 0) + 0.7152F * m_image->sampled(uv.x, uv.y, 1) +
             0.0722F * m_image->sampled(uv.x, uv.y, 2);
    }
    const int channel = static_cast<int>(m_map.channel) - 1;
    return channel < channels ? m_image->sampled(uv.x, uv.y, channel)
                              : (m_map.channel == PictureChannel::Alpha ? 1.0F : 0.0F);
  }

  ImagePtr m_image;
  PictureMap m_map;
};

class BlendMask final : public CompositeMask {
 public:
  BlendMask(const std::vector<MaskPtr>& masks, std::vector<float> weights, BlendMode mode, MaskFinish finish)
      : CompositeMask(masks, sizeof(*this)), m_weights(std::move(weights)), m_mode(mode), m_finish(finish) {
    m_isOfPlaceAlone = std::all_of(masks.begin(), masks.end(), [](const MaskPtr& m) { return m->isOfPlaceAlone(); });
    if (m_mode != BlendMode::Multiply || !m_finish.keepsZero()) return;
    std::set<const Mask*> zeroBy;
    for (std::size_t m = 0; m < masks.size(); ++m) {
      if (m_weights[m] != 1) continue;
      if (const auto* blend = dynamic_cast<const BlendMask*>(masks[m].get()))
        zeroBy.insert(blend->m_zeroBy.begin(), blend->m_zeroBy.end());
      else
        zeroBy.insert(masks[m].get());
    }
    m_zeroBy.assign(zeroBy.begin(), zeroBy.end());
  }

  bool isOfPlaceAlone() const override { return m_isOfPlaceAlone; }
  bool isZeroIn(const Box3& box) const override {
    return std::any_of(m_zeroBy.begin(), m_zeroBy.end(), [&](const Mask* m) { return m->isZeroIn(box); });
  }

 private:
  void combine(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    const std::size_t n = end - begin;
    if (m_mode == BlendMode::Multiply && n > 256) return product(at, begin, end, out);
    Array<float> part(n);
    float total = 0;
    for (std::size_t m = 0; m < parts().size(); ++m) {
      const float w = m_weights[m];
      total += w;
      ask(m, at, begin, end, part.data());
      for (std::size_t i = 0; i < n; ++i) out[i] = blended(m == 0, out[i], part[i], w);
    }
    for (std::size_t i = 0; i < n; ++i) {
      float v = parts().empty() ? 1.0F : out[i];
      if (m_mode == BlendMode::Average) v = total > 0 ? v / total : 0;
      out[i] = m_finish.apply(std::clamp(v, 0.0F, 1.0F));
    }
  }

  /// The same product, factor by factor in order; a place where it is 0 already is not asked again. Those that look
  /// things up come last in asking, and have their turn in multiplying.
  void product(const Points& at, std::size_t begin, std::size_t end, float* out) const {
    const std::size_t n = end - begin;
    std::vector<Array<float>> factors(parts().size());
    Array<std::uint32_t> open(n);  // places that may still count
    for (std::size_t i = 0; i < n; ++i) open[i] = static_cast<std::uint32_t>(begin + i);
    Points some;  // those of `at`, once they are few
    bool isSome = false;
    for (const bool isSearchingNow : {false, true})
      for (std::size_t m = 0; m < parts().size(); ++m) {
        if (parts()[m]->isSearching() != isSearchingNow) continue;
        Array<float> part(open.size());
        if (isSome)
          askSome(m, some, at, open, part.data());
        else
          ask(m, at, begin, end, part.data());
        factors[m].assign(n, 1.0F);
        std::size_t left = 0;
        for (std::size_t k = 0; k < open.size(); ++k) {
          const float factor = 1 - m_weights[m] + m_weights[m] * part[k];
          factors[m][open[k] - begin] = factor;
          left += factor != 0;
        }
        if (left * 2 > open.size()) continue;  // gathering would cost more than it saves
        Array<std::uint32_t> still;
        still.reserve(left);
        for (const std::uint32_t i : open)
          if (factors[m][i - begin] != 0) still.push_back(i);
        open = std::move(still);
        some = gathered(at, open);
        isSome = true;
      }
    for (std::size_t i = 0; i < n; ++i) {
      float v = 1;
      for (const Array<float>& f : factors) v *= f[i];
      out[i] = m_finish.apply(std::clamp(v, 0.0F, 1.0F));
    }
  }
  float blended(bool isFirst, float so, float value, float w) const {
    switch (m_mode) {
      case BlendMode::Multiply: return (isFirst ? 1.0F : so) * (1 - w + w * value);
      case BlendMode::Add: return (isFirst ? 0.0F : so) + w * value;
      case BlendMode::Subtract: return isFirst ? w * value : so - w * value;
      case BlendMode::Larger: return isFirst ? w * value : std::max(so, w * value);
      case BlendMode::Smaller: return isFirst ? 1 - w + w * value : std::min(so, 1 - w + w * value);
      case BlendMode::Average: return (isFirst ? 0.0F : so) + w * value;
    }
    return so;
  }

  std::vector<float> m_weights;
  BlendMode m_mode;
  MaskFinish m_finish;
  bool m_isOfPlaceAlone = true;
  std::vector<const Mask*> m_zeroBy;  // where one of these is 0, the product is
};

}  // namespace

bool Mask::measure(const Points&, std::size_t, std::size_t, float*) const { return false; }

void BandMask::values(const Points& at, std::size_t begin, std::size_t end, float* out) const {
  measure(at, begin, end, out);
  for (std::size_t i = 0; i < end - begin; ++i) out[i] = m_finish.apply(m_band.weight(out[i]));
}

namespace {

/// Do points that follow each other lie near each other? Sown ones do: they come face by face.
bool isInGoodOrder(const Points& at) {
  constexpr std::size_t kSamples = 500;
  Box3 box;
  double sum = 0;
  for (std::size_t k = 0; k < kSamples; ++k) {
    const std::size_t i = 1 + k * (at.count - 1) / kSamples;
    box.add(at.position[i]);
    sum += static_cast<double>(glm::distance(at.position[i], at.position[i - 1]));
  }
  return sum / kSamples < 0.02 * static_cast<double>(glm::length(box.extent()));
}

}  // namespace

Array<float> maskValues(const Task& task, const Mask& mask, const Points& at) {
  constexpr std::size_t kWorthSorting = 20'000;
  // A piece of rays must end soon after a cancel; a piece of sums should be worth what it costs to begin (an expression
  // is parsed for each).
  const std::size_t grain = mask.isSearching() ? 1024 : 16'384;
  if (at.count >= kWorthSorting && mask.isSearching() && !isInGoodOrder(at)) {
    const Array<std::uint32_t> order = mortonOrder(at.position, at.count);
    const Points sorted = gathered(at, order);
    Array<float> scattered(at.count);
    parallelPieces(task, at.count, grain, [&](std::size_t begin, std::size_t end) {
      Array<float> piece(end - begin);
      mask.values(sorted, begin, end, piece.data());
      for (std::size_t i = begin; i < end; ++i) scattered[order[i]] = std::clamp(piece[i - begin], 0.0F, 1.0F);
    });
    return scattered;
  }
  Array<float> out(at.count);
  parallelPieces(task, at.count, grain, [&](std::size_t begin, std::size_t end) {
    mask.values(at, begin, end, out.data() + begin);
    for (std::size_t i = begin; i < end; ++i) out[i] = std::clamp(out[i], 0.0F, 1.0F);
  });
  return out;
}

void measureSlope(const Points& at, SlopeOf of, const Surface* ground, std::size_t begin, std::size_t end,
                  float* outDeg) {
  const auto index = of == SlopeOf::Ground && ground ? SurfaceIndex::of(*ground) : nullptr;
  for (std::size_t i = begin; i < end; ++i) {
    Vec3 normal = at.groundNormal[i];
    if (of == SlopeOf::OwnUp) normal = at.orientation[i] * kUp;
    if (index && *index)
      if (const auto place = groundUnder(*ground, **index, at.position[i])) normal = place->normal;
    outDeg[i - begin] = degrees(angleBetween(normal, kUp));
  }
}

MaskPtr makeSlopeMask(SurfacePtr ground, Band band, MaskFinish finish) {
  return std::make_shared<SlopeMask>(std::move(ground), band, finish);
}
MaskPtr makeHeightMask(SurfacePtr ground, Band band, MaskFinish finish) {
  return std::make_shared<HeightMask>(std::move(ground), band, finish);
}
MaskPtr makePictureMask(ImagePtr image, PictureMap map, Band band, MaskFinish finish) {
  return std::make_shared<PictureMask>(std::move(image), map, band, finish);
}
MaskPtr makeBlendMask(std::vector<MaskPtr> masks, std::vector<float> weights, BlendMode mode, MaskFinish finish) {
  ARVESK_ASSERT(masks.size() == weights.size(), "one weight per mask");
  return std::make_shared<BlendMask>(masks, std::move(weights), mode, finish);
}

}  // namespace arvesk
