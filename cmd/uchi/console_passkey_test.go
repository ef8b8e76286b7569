package main_test

import (
	"context"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
)

// A passkey is made on one's own page and signs in without a password, at the name that it
// belongs to; at the address of the machine the console says where that is.
func TestPasskeyInTheConsole(t *testing.T) {
	s := serve(t)
	p := open(s)
	named := strings.Replace(p.server, "127.0.0.1", "localhost", 1)
	p.do("go to one's own page", chromedp.Navigate(p.server+"/w/main/account"))
	p.sees("a", "open it at "+named)

	p.do("give the browser a device that keeps passkeys", chromedp.ActionFunc(func(ctx context.Context) error {
		if err := webauthn.Enable().Do(ctx); err != nil {
			return err
		}
		_, err := webauthn.AddVirtualAuthenticator(&webauthn.VirtualAuthenticatorOptions{
			Protocol: webauthn.AuthenticatorProtocolCtap2, Transport: webauthn.AuthenticatorTransportInternal,
			HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true,
		}).Do(ctx)
		return err
	}))
	p.do("sign in at the name", chromedp.Navigate(named+"/w/main/account"), chromedp.WaitVisible(`input[name=email]`),
		chromedp.SendKeys(`input[name=email]`, admin), chromedp.SendKeys(`input[name=password]`, password),
		chromedp.Click(`button[type=submit]`))
	p.sees("h2", "My passkeys")
	field := `//label[contains(., "Device that it is kept on")]//input`
	own := `//form[.//button[contains(., "Make a passkey")]]//input[@type="password"]`
	p.do("fill the form wrongly", chromedp.WaitVisible(field, chromedp.BySearch),
		chromedp.SendKeys(field, "the office's computer", chromedp.BySearch),
		chromedp.SendKeys(own, "not the password", chromedp.BySearch))
	p.click(`//button[.="Make a passkey"]`)
	p.sees("div", "the password is not right")
	p.do("fill it rightly", chromedp.SendKeys(own, password, chromedp.BySearch))
	p.click(`//button[.="Make a passkey"]`)
	p.do("see that it was never used", chromedp.WaitVisible(`//tr[td[.="the office's computer"]][td[.="never"]]`,
		chromedp.BySearch))

	p.do("leave", chromedp.ActionFunc(func(ctx context.Context) error { return network.ClearBrowserCookies().Do(ctx) }),
		chromedp.Navigate(named+"/w/main/account"))
	p.click(`//button[.="Sign in with a passkey"]`)
	p.do("see that it was used", chromedp.WaitVisible(`//tr[td[.="the office's computer"]][not(td[.="never"])]`,
		chromedp.BySearch))

	s.uchi(0, "", "passkeys", "end", "1")
	p.do("leave again", chromedp.ActionFunc(func(ctx context.Context) error { return network.ClearBrowserCookies().Do(ctx) }), chromedp.Navigate(named+"/w/main/account"))
	p.click(`//button[.="Sign in with a passkey"]`)
	p.sees("div", "the passkey was not accepted")
}
