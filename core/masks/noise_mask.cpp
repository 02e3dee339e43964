#include "core/masks/noise_mask.h"

namespace arvesk {
namespace {

class NoiseMask final : public BandMask {
 public:
  NoiseMask(NoiseSettings settings, Band band, MaskFinish finish) : BandMask(band, finish), m_settings(settings) {}
  void countBytes(ByteCounter& counter) const override { counter.add(this, sizeof(*this)); }
  bool isOfPlaceAlone() const override { return true; }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    constexpr std::size_t kBatch = 512;
    std::array<float, kBatch> x;
    std::array<float, kBatch> y;
    std::array<float, kBatch> z;
    for (std::size_t from = begin; from < end; from += kBatch) {
      const std::size_t n = std::min(kBatch, end - from);
      for (std::size_t i = 0; i < n; ++i) {
        const Vec3& p = at.position[from + i];
        x[i] = p.x;
        y[i] = p.y;
        z[i] = p.z;
      }
      noiseValues(m_settings, x.data(), y.data(), z.data(), n, out + (from - begin));
    }
    return true;
  }

 private:
  NoiseSettings m_settings;
};

}  // namespace

MaskPtr makeNoiseMask(NoiseSettings settings, Band band, MaskFinish finish) {
  return std::make_shared<NoiseMask>(settings, band, finish);
}

}  // namespace arvesk
