process.env.CHROME_BIN ??= '/usr/bin/chromium';
module.exports = (config) =>
  config.set({
    frameworks: ['jasmine'],
    plugins: [require('karma-jasmine'), require('karma-chrome-launcher')],
    // The checks run beside it: what waits longer than usual is not wrong yet.
    client: { jasmine: { random: true, timeoutInterval: 30_000 } },
    reporters: ['dots'],
    browsers: ['Headless'],
    customLaunchers: {
      Headless: {
        base: 'ChromeHeadless',
        flags: [
          '--no-sandbox',
          '--disable-gpu',
          '--disable-background-networking',
          '--disable-component-update',
          '--disable-sync',
          '--no-first-run',
          '--window-size=1280,900',
        ],
      },
    },
    restartOnFileChange: false,
    // Ten thousand random projects are judged in one go: a busy browser is not a dead one.
    pingTimeout: 60_000,
    browserDisconnectTimeout: 60_000,
    browserNoActivityTimeout: 240_000,
  });
