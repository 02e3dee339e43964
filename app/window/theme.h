// Colors, fonts and glyphs: chart paper by day, ink by night. Every color of the interface comes from here.
#pragma once

#include <QApplication>
#include <QBrush>
#include <QColor>
#include <QIcon>
#include <QString>

namespace arvesk {

struct Theme {
  QColor paper, card, ink, quiet, rule, accent, trouble, warning, hatch, ribbon, field, bed, note;
  bool isNight = false;

  static const Theme& current();
  /// "paper", "night", or "desktop" to follow the desktop's lightness.
  static void apply(QApplication& app, const QString& choice);
  /// All pairs of text and ground that the interface uses, for the contrast test.
  std::vector<std::pair<QColor, QColor>> textPairs() const;
};

/// Ratio of relative luminances (WCAG 2.1, success criterion 1.4.3).
double contrastRatio(const QColor& a, const QColor& b);

Theme paperTheme();
Theme nightTheme();

/// Fine diagonal hatching for what is left out.
QBrush hatchBrush(const QColor& color);

/// One of our line glyphs in a color, `size` px.
QPixmap glyph(const QString& name, const QColor& color, int size, qreal ratio = 1);

}  // namespace arvesk
