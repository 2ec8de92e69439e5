#include "app/look/look.h"

#include "base/text.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPalette>
#include <QStyleFactory>
#include <array>

namespace thicket::app {
namespace {

Shade current = Shade::Dusk;

const Look& dusk() {
    static const Look look{QColor("#171d1b"), QColor("#1f2724"), QColor("#28322e"), QColor("#35413b"),
                           QColor("#e9e6d8"), QColor("#98a59c"), QColor("#75837b"), QColor("#c9d67a"),
                           QColor("#1c221b"), QColor("#5fb3a8"), QColor("#dc8a5e"), QColor("#e2604a")};
    return look;
}

const Look& noon() {
    static const Look look{QColor("#f4f3ea"),        QColor("#e9e9de"),       QColor("#fbfaf4"), QColor("#c9ccbd"),
                           QColor("#20281f"),        QColor("#59665c"),       QColor("#8a958b"), QColor("#71852a"),
                           QColor("#fbfaf4"),        QColor("#2b7f74"),       QColor("#b0602f"), QColor("#bd3d29"),
                           QColor(0xb4, 0xb9, 0xb4), QColor(0x8c, 0x93, 0x8e)};
    return look;
}

QString sheet(const Look& l) {
    QString text = QStringLiteral(R"(
* { font-size: 12.5px; }
QWidget { color: @text; }
QMainWindow, QDialog, QMessageBox { background: @panel; }
QToolTip { background: @raised; color: @text; border: 1px solid @line; padding: 4px 6px; }
QLabel[quiet="true"] { color: @quiet; }
QLabel[small="true"] { color: @quiet; font-size: 11px; }
QLabel[caution="true"] { color: @caution; font-size: 11.5px; }
QLabel[title="true"] { font-size: 13px; font-weight: 600; }
QLineEdit, QDoubleSpinBox, QSpinBox, QComboBox {
  background: @raised; border: 1px solid @raised; border-radius: 4px; padding: 3px 8px; min-height: 20px; selection-background-color: @accent; selection-color: @onaccent; }
QLineEdit:hover, QDoubleSpinBox:hover, QSpinBox:hover, QComboBox:hover { border-color: @line; }
QLineEdit:focus, QDoubleSpinBox:focus, QSpinBox:focus, QComboBox:focus { border-color: @accent; }
QDoubleSpinBox::up-button, QDoubleSpinBox::down-button, QSpinBox::up-button, QSpinBox::down-button { width: 0; border: none; }
QComboBox { padding-right: 4px; }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox::down-arrow { image: url(:/look/icons/down.png); width: 10px; height: 10px; }
QComboBox QAbstractItemView { background: @raised; border: 1px solid @line; selection-background-color: @line; outline: none; padding: 4px; }
QLineEdit:disabled, QDoubleSpinBox:disabled, QSpinBox:disabled, QComboBox:disabled, QCheckBox:disabled { color: @faint; }
QPushButton { background: @raised; border: 1px solid @raised; border-radius: 6px; padding: 7px 12px; font-weight: 500; }
QPushButton:hover { border-color: @quiet; }
QPushButton:focus { border-color: @accent; }
QPushButton:pressed { background: @line; }
QPushButton:checked { background: @line; border-color: @quiet; }
QPushButton:disabled { color: @faint; }
QPushButton[primary="true"] { background: @accent; color: @onaccent; border-color: @accent; font-weight: 600; }
QPushButton[primary="true"]:hover { border-color: @text; }
QPushButton[primary="true"]:disabled { background: @line; border-color: @line; color: @faint; }
QPushButton[flat2="true"] { background: transparent; padding: 2px 6px; color: @quiet; border-color: transparent; }
QPushButton[flat2="true"]:hover { color: @text; border-color: @line; }
#careBar { background: @ground; border: 1px solid @line; border-radius: 6px; }
#careBar QPushButton { padding: 4px 10px; }
QCheckBox { spacing: 8px; }
QCheckBox::indicator { width: 14px; height: 14px; border: 1px solid @faint; border-radius: 3px; background: @raised; }
QCheckBox::indicator:checked { background: @accent; border-color: @accent; image: url(:/look/icons/tick.png); }
QScrollArea { background: transparent; border: none; }
QScrollBar:vertical { background: transparent; width: 8px; margin: 0; }
QScrollBar::handle:vertical { background: @line; border-radius: 4px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QScrollBar:horizontal { background: transparent; height: 8px; }
QScrollBar::handle:horizontal { background: @line; border-radius: 4px; min-width: 24px; }
QTreeView, QTableView { background: transparent; border: none; outline: none; }
QListView { background: @raised; border: none; outline: none; }
#subjects { background: transparent; }
QTreeView::item { border: none; }
QTreeView::item:selected, QTableView::item:selected { background: @line; color: @text; }
QHeaderView::section { background: transparent; color: @quiet; border: none; padding: 4px 8px; font-size: 11px; }
QMenu { background: @raised; border: 1px solid @line; padding: 4px; }
QMenu::item { padding: 5px 24px 5px 12px; border-radius: 4px; }
QMenu::item:selected { background: @line; }
QMenu::item:disabled { color: @faint; }
QMenu::separator { height: 1px; background: @line; margin: 4px 8px; }
QProgressBar { background: @raised; border: none; border-radius: 2px; max-height: 4px; min-height: 4px; }
QProgressBar::chunk { background: @accent; border-radius: 2px; }
)");
    const std::array<std::pair<const char*, QColor>, 12> tokens{{{"@ground", l.ground},
                                                                 {"@panel", l.panel},
                                                                 {"@raised", l.raised},
                                                                 {"@line", l.line},
                                                                 {"@text", l.text},
                                                                 {"@quiet", l.quiet},
                                                                 {"@faint", l.faint},
                                                                 {"@accent", l.accent},
                                                                 {"@onaccent", l.onAccent},
                                                                 {"@good", l.good},
                                                                 {"@caution", l.caution},
                                                                 {"@over", l.over}}};
    for (const auto& [name, color] : tokens)
        text.replace(QString::fromLatin1(name), color.name());
    return text;
}

} // namespace

const Look& Look::now() {
    return current == Shade::Dusk ? dusk() : noon();
}
Shade Look::shade() {
    return current;
}

void Look::use(QApplication& app, Shade shade) {
    current = shade;
    const Look& l = now();
    app.setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
    QPalette palette;
    palette.setColor(QPalette::Window, l.panel);
    palette.setColor(QPalette::Base, l.raised);
    palette.setColor(QPalette::AlternateBase, l.panel);
    palette.setColor(QPalette::Button, l.raised);
    palette.setColor(QPalette::Text, l.text);
    palette.setColor(QPalette::WindowText, l.text);
    palette.setColor(QPalette::ButtonText, l.text);
    palette.setColor(QPalette::PlaceholderText, l.faint);
    palette.setColor(QPalette::Highlight, l.accent);
    palette.setColor(QPalette::HighlightedText, l.onAccent);
    palette.setColor(QPalette::Disabled, QPalette::ButtonText, l.faint);
    palette.setColor(QPalette::Disabled, QPalette::Text, l.faint);
    app.setPalette(palette);
    app.setFont(font(12.5));
}

void Look::dress(QApplication& app) {
    app.setStyleSheet(sheet(now()));
}

QColor Look::level(int index) {
    static const std::array<QColor, 8> ramp{QColor("#f4e9b0"), QColor("#c9d67a"), QColor("#86bd7c"), QColor("#4c9f8b"),
                                            QColor("#3f86a8"), QColor("#5a6fb4"), QColor("#7a55a3"), QColor("#8c3f78")};
    static const std::array<QColor, 2> onLight{QColor("#cbb455"), QColor("#a8b84a")}; // the palest would not be seen
    const auto at = static_cast<std::size_t>(std::clamp(index, 0, 7));
    const bool light = now().ground.lightness() > 128;
    return light && at < onLight.size() ? onLight[at] : ramp[at];
}

QFont Look::font(double px, int weight) {
    static const QString family =
        QFontDatabase::families().contains(QStringLiteral("Inter")) ? QStringLiteral("Inter") : QString();
    QFont font = QApplication::font();
    if (!family.isEmpty())
        font.setFamily(family);
    font.setPixelSize(qRound(px));
    font.setPointSizeF(px * 0.75);
    font.setWeight(static_cast<QFont::Weight>(weight));
    return font;
}

QString groupedText(qint64 value) {
    return QString::fromStdString(grouped(value));
}
QString figureText(double value, int digits) {
    return QString::fromStdString(figure(value, digits));
}

QString distanceText(double metres) {
    return metres < 0.995 ? QStringLiteral("%1 m").arg(metres, 0, 'f', metres < 0.0995 ? 3 : 2) : lengthText(metres);
}

QString lengthText(double metres) {
    return QString::fromStdString(length(metres));
}
QString pixelText(double px) {
    return QString::fromStdString(pixels(px));
}
QString shortText(double count) {
    return QString::fromStdString(shortCount(count));
}

} // namespace thicket::app
