#pragma once
// Routes: which one is looked at, and its keys. Every change is one undo step; drags merge.

#include "appmodel/session.h"

#include <QElapsedTimer>

namespace thicket::app {

class RouteModel : public QObject {
    Q_OBJECT
public:
    explicit RouteModel(Session& session);

    [[nodiscard]] const Route* current() const { return m_session.scene().currentRoute(); }

    void choose(std::size_t index);
    /// An empty one, which is looked at from now on.
    void add();
    void copy();
    void remove();
    void rename(const QString& name);
    void setLoop(bool on);

    /// Adds a key, four seconds after the last; a route is made when there is none.
    void addKey(const View& view);
    /// A key where the route passes at a time between its keys; nothing changes along it but for its curve.
    void insertKey(double seconds);
    void removeKey(std::size_t index);
    /// It stays between its neighbours, the first one at 0. Those after it keep their times.
    void moveKeyTo(std::size_t index, double seconds, const QString& mergeKey);
    /// Moves the eye, and what it looks at with it.
    void moveKeyBy(std::size_t index, const Vec3d& way, const QString& mergeKey);
    /// The eye and its direction as a camera has them.
    void placeKey(std::size_t index, const View& view);

    /// Keeps where the camera is from now on, ten times a second.
    void startRecording(const View& view);
    void recordFrame(const View& view);
    [[nodiscard]] bool recording() const { return m_recording; }
    /// Places of the camera that were kept so far.
    [[nodiscard]] std::size_t recorded() const { return m_kept.size(); }
    /// Makes a route of what was kept, with the keys that it takes. Nothing, and said, where the camera never moved.
    void stopRecording();

    /// Adds the cameras that move in a glTF file.
    void bringIn(const QString& file);
    void takeOut(const QString& file);

signals:
    void recordingChanged();

private:
    void push(Settings settings, const QString& label, const QString& mergeKey = {});
    void change(const QString& label, const std::function<void(Route&)>& how, const QString& mergeKey = {});
    void addRoutes(const std::vector<Route>& routes, const QString& label);
    [[nodiscard]] std::string freeName(const std::string& wanted) const;

    Session& m_session;
    bool m_recording = false;
    QElapsedTimer m_clock;
    std::vector<RouteKey> m_kept;
};

} // namespace thicket::app
