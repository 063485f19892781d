// Plays interleaved stereo as it comes. Starts once 120 ms are there, and when the network has
// piled up more than 400 ms it skips ahead to 120 again.
const TARGET_S = 0.12;
const MOST_S = 0.4;

class MixPlayer extends AudioWorkletProcessor {
  constructor() {
    super();
    this.ring = new Float32Array(2 * sampleRate * 2);
    this.written = 0;
    this.read = 0;
    this.playing = false;
    this.gaps = 0;
    this.heard = 0;
    this.loudest = 0;
    this.told = 0;
    this.port.onmessage = ({ data }) => this.take(new Float32Array(data));
  }

  take(samples) {
    for (let n = 0; n < samples.length; n += 1) this.ring[(this.written + n) % this.ring.length] = samples[n];
    this.written += samples.length;
    if (this.frames > MOST_S * sampleRate) this.read = this.written - 2 * Math.round(TARGET_S * sampleRate);
  }

  get frames() {
    return (this.written - this.read) / 2;
  }

  process(_, [[left, right]]) {
    if (!this.playing && this.frames >= TARGET_S * sampleRate) this.playing = true;
    if (this.playing && this.frames < left.length) {
      this.playing = false;
      this.gaps += 1;
    }
    if (this.playing) {
      for (let n = 0; n < left.length; n += 1) {
        left[n] = this.ring[this.read % this.ring.length];
        right[n] = this.ring[(this.read + 1) % this.ring.length];
        this.read += 2;
        this.loudest = Math.max(this.loudest, Math.abs(left[n]));
      }
      this.heard += left.length;
    }
    this.told += left.length;
    if (this.told > sampleRate / 4) {
      this.told = 0;
      this.port.postMessage({ buffered: (1000 * this.frames) / sampleRate, gaps: this.gaps, heard: this.heard, loudest: this.loudest });
    }
    return true;
  }
}

registerProcessor("mix-player", MixPlayer);
