// The window: menu, step path, canvas, panel, light scale, status line, and what connects them.
#pragma once

#include "document/document.h"

#include <QMainWindow>

class QAction;
class QStackedWidget;

namespace yolk::app {

class Canvas;
class EmptyState;
class LightScale;
class MessageStrip;
class StatusLine;
class StepPath;
class TonePanel;

enum class Step { Frames, Merge, Tone, Export };

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(QWidget *parent = nullptr);

    Document *document() const { return document_; }
    Canvas *canvas() const { return canvas_; }
    LightScale *lightScale() const { return scale_; }
    TonePanel *tonePanel() const { return tonePanel_; }
    StatusLine *statusLine() const { return status_; }
    MessageStrip *messages() const { return messages_; }
    void open(const QStringList &paths); ///< files or folders, as a set of its own
    void add(const QStringList &paths);  ///< to the open set, or as a new one when nothing is open
    void goTo(Step step);

protected:
    void dragEnterEvent(QDragEnterEvent *event) override;
    void dropEvent(QDropEvent *event) override;
    void closeEvent(QCloseEvent *event) override;

private:
    void makeMenus();
    void makeSurroundMenu(QMenu *view);
    void makeThemeMenu(QMenu *view);
    QAction *addCommand(QMenu *menu, const QString &name, const QKeySequence &keys, const QString &help,
                        const std::function<void()> &run);
    QStringList askForFrames();
    /// The pictures among files and in folders; when there are none, a message says so.
    QStringList picturesOrComplaint(const QStringList &paths);
    void askAndExport();
    void askAndSaveRadiance();
    void refreshCommands();
    void refreshMarks();
    void refreshMessages();
    void showShortcuts();
    void showAbout();

    Document *document_;
    StepPath *path_;
    Canvas *canvas_;
    EmptyState *empty_;
    MessageStrip *messages_;
    QWidget *column_;
    QStackedWidget *panels_;
    TonePanel *tonePanel_;
    LightScale *scale_;
    StatusLine *status_;
    QAction *undo_ = nullptr, *redo_ = nullptr;
    QList<QAction *> needSet_;
    QString failure_;
};

} // namespace yolk::app
