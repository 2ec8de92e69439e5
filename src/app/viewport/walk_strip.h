#pragma once
// A walk back as pictures: the same subject from near to beyond its last switch, each with what is drawn there.

#include "app/viewport/viewport.h"

namespace thicket::app {

class WalkStrip : public QObject {
    Q_OBJECT
public:
    explicit WalkStrip(Viewport& viewport, QObject* parent = nullptr);
    /// Takes so many pictures, evenly spaced by change of size, and writes them to `file` as one strip, or with
    /// `frames` each to a file of its own, numbered. The camera goes back to where it stood.
    void start(const QString& file, int count, bool frames);
    void cancel();
    [[nodiscard]] bool running() const { return m_timer.isActive(); }

signals:
    /// After each picture.
    void progressed(int done, int count);
    /// `problem` is empty when all went well, or when it was cancelled (then `files` is empty).
    void finished(const QStringList& files, const QString& problem);

private:
    void step();
    void finish();
    Viewport& m_viewport;
    QTimer m_timer;
    QString m_file;
    int m_count = 0;
    bool m_frames = false;
    double m_near = 1;
    double m_far = 100;
    Vec3d m_eye{0, 0, 0};
    Vec3d m_target{0, 0, 0};
    std::vector<QImage> m_pictures;
};

} // namespace thicket::app
