#include "app/viewport/walk_strip.h"

#include "app/look/look.h"

#include <QFileInfo>
#include <QPainter>
#include <QSaveFile>
#include <cmath>

namespace thicket::app {
namespace {

constexpr int kCaption = 40;

bool save(const QImage& picture, const QString& file) {
    QSaveFile out(file); // whole or not at all
    return out.open(QIODevice::WriteOnly) && picture.save(&out, "PNG") && out.commit();
}

} // namespace

WalkStrip::WalkStrip(Viewport& viewport, QObject* parent) : QObject(parent), m_viewport(viewport) {
    m_timer.setInterval(30);
    connect(&m_timer, &QTimer::timeout, this, &WalkStrip::step);
}

void WalkStrip::start(const QString& file, int count, bool frames) {
    const auto ends = m_viewport.walkEnds();
    if (!ends || running())
        return;
    m_viewport.stopWalk();
    m_viewport.setFrozen(false);
    std::tie(m_near, m_far) = *ends;
    const View view = m_viewport.shotView();
    m_eye = view.eye;
    m_target = view.eye + view.forward * std::max(1.0, m_viewport.subjectDistance());
    m_file = file;
    m_count = std::max(count, 2);
    m_frames = frames;
    m_pictures.clear();
    m_viewport.standAt(m_near);
    m_timer.start();
}

void WalkStrip::cancel() {
    if (!running())
        return;
    m_timer.stop();
    m_viewport.setShotView(m_eye, m_target);
    emit finished({}, {});
}

void WalkStrip::step() {
    if (!m_viewport.settled())
        return;
    const QImage whole = m_viewport.grabFramebuffer();
    const auto reading = m_viewport.reading();
    // The middle of the view, where the subject is; as many pixels as on screen.
    const int side = std::min(whole.width(), whole.height());
    QImage picture(side, side + kCaption, QImage::Format_RGB32);
    picture.fill(Look::now().ground);
    QPainter p(&picture);
    p.drawImage(QPoint(0, 0), whole, QRect((whole.width() - side) / 2, (whole.height() - side) / 2, side, side));
    const auto text = [&](int y, const QString& words, const QColor& color, double px, int weight) {
        p.setFont(Look::font(px, weight));
        p.setPen(color);
        p.drawText(QRect(10, y, side - 20, 18), Qt::AlignLeft | Qt::AlignVCenter, words);
    };
    text(side + 3, tr("%1 · %2 % of height").arg(distanceText(reading.metres)).arg(100 * reading.height, 0, 'f', 1),
         Look::now().text, 12, 600);
    text(side + 20,
         reading.level < 0 ? tr("culled")
                           : tr("L%1 · %2 triangles · %3 off")
                                 .arg(reading.level)
                                 .arg(groupedText(reading.triangles), pixelText(reading.errorPx)),
         Look::now().quiet, 11, 400);
    p.end();
    m_pictures.push_back(picture);
    emit progressed(static_cast<int>(m_pictures.size()), m_count);
    if (static_cast<int>(m_pictures.size()) == m_count) {
        m_timer.stop();
        finish();
        return;
    }
    const double way = static_cast<double>(m_pictures.size()) / (m_count - 1);
    m_viewport.standAt(m_near * std::pow(m_far / m_near, way));
}

void WalkStrip::finish() {
    m_viewport.setShotView(m_eye, m_target);
    QStringList files;
    if (m_frames) {
        const QFileInfo info(m_file);
        for (std::size_t i = 0; i < m_pictures.size(); ++i) {
            files << info.path() + QStringLiteral("/%1_%2.png")
                                       .arg(info.completeBaseName())
                                       .arg(static_cast<int>(i) + 1, 2, 10, QChar('0'));
            if (!save(m_pictures[i], files.back())) {
                emit finished({}, tr("%1 cannot be written; choose another folder").arg(files.back()));
                return;
            }
        }
    } else {
        const int wide = m_pictures.front().width();
        QImage strip(static_cast<int>(m_pictures.size()) * (wide + 4) - 4, m_pictures.front().height(),
                     QImage::Format_RGB32);
        strip.fill(Look::now().line);
        QPainter p(&strip);
        for (std::size_t i = 0; i < m_pictures.size(); ++i)
            p.drawImage(static_cast<int>(i) * (wide + 4), 0, m_pictures[i]);
        p.end();
        if (!save(strip, m_file)) {
            emit finished({}, tr("%1 cannot be written; choose another folder").arg(m_file));
            return;
        }
        files << m_file;
    }
    emit finished(files, {});
}

} // namespace thicket::app
