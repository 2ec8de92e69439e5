#pragma once
// Colours, type and spacing: the one place they come from.

#include <QColor>
#include <QFont>
#include <QString>

class QApplication;
class QPainter;

namespace thicket::app {

enum class Shade { Dusk, Noon };

struct Look {
    QColor ground, panel, raised, line, text, quiet, faint, accent, onAccent, good, caution, over;
    QColor viewTop{0x5d, 0x66, 0x60}, viewBottom{0x40, 0x46, 0x43};

    static const Look& now();
    /// Colours and letters, before anything is made of them.
    static void use(QApplication& app, Shade shade);
    /// The rest: how controls are drawn. Of widgets that are there and put together already this is far quicker.
    static void dress(QApplication& app);
    static Shade shade();

    /// Level colours: an ordered ramp, near to far, that reads in grey.
    static QColor level(int index);
    static QFont font(double px, int weight = 400);
};

constexpr int kGrid = 4;

/// "484,210", "3.6 mm" and so on as QString.
QString groupedText(qint64 value);
QString lengthText(double metres);
/// How far something is away: in metres however near, so that what stands side by side can be compared.
QString distanceText(double metres);
QString figureText(double value, int digits);
QString pixelText(double px);
QString shortText(double count);

} // namespace thicket::app
