// The draft of a film, played from a list of segments that the server makes as they
// are played.

/** Plays a list in a video from a second on; broken is called when it cannot go on. Gives what stops it. */
export function playList(video, source, seconds, broken) {
  const { Hls } = window;
  let hls = null;
  if (Hls?.isSupported()) {
    hls = new Hls({ startPosition: seconds, maxBufferLength: 8, enableWorker: true });
    hls.on(Hls.Events.ERROR, (_, data) => {
      if (data.fatal) broken();
    });
    hls.loadSource(source);
    hls.attachMedia(video);
  } else {
    video.src = source;
    video.currentTime = seconds;
  }
  video.play().catch(() => {}); // a browser that wants a press of its own shows its button
  return () => {
    hls?.destroy();
    if (!hls) video.removeAttribute("src");
  };
}
