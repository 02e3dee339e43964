// Shares in words, the same everywhere.
#pragma once

#include <QCoreApplication>
#include <QLocale>

#include <cmath>

namespace arvesk {

/// A share (1 is all) in percent; to a tenth where it is near none or all, and never rounded to just that.
inline QString shareText(double share) {
  const double percent = 100 * share;
  const QLocale locale;
  const auto words = [&](double number, int digits) {
    return QCoreApplication::translate("Share", "%1 %").arg(locale.toString(number, 'f', digits));
  };
  if (percent <= 0) return words(0, 0);
  if (percent < 0.1) return QCoreApplication::translate("Share", "< %1 %").arg(locale.toString(0.1));
  if (percent > 99 && percent < 100) return words(std::floor(percent * 10) / 10, 1);
  if (percent > 100 && percent < 101) return words(std::ceil(percent * 10) / 10, 1);
  return words(percent, percent < 9.95 ? 1 : 0);
}

}  // namespace arvesk
