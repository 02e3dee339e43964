// Shares in words, the same everywhere.
#pragma once

#include <QCoreApplication>
#include <QLocale>

namespace arvesk {

/// A share (1 is all) in percent. What is nearly none, nearly all or a little over all is never rounded to just that.
inline QString shareText(double share) {
  const double percent = 100 * share;
  const QLocale locale;
  const auto words = [&](const char* form, double number, int digits = 0) {
    return QCoreApplication::translate("Share", form).arg(locale.toString(number, 'f', digits));
  };
  if (percent <= 0) return words("%1 %", 0);
  if (percent < 1) return words("< %1 %", 1);
  if (percent < 100 && percent > 99) return words("> %1 %", 99);
  if (percent > 100 && percent < 101) return words("> %1 %", 100);
  return words("%1 %", percent, percent < 9.95 ? 1 : 0);
}

}  // namespace arvesk
