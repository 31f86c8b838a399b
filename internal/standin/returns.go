package standin

import (
	"bytes"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapserver"
	"github.com/emersion/go-imap/v2/imapserver/imapmemserver"
)

// moved is an address whose mail is taken, and comes back a moment later.
const moved = "moved@"

// Returns is an IMAP server with one mailbox, to which mail comes back that was
// taken for an address that is not there any more.
type Returns struct {
	user   *imapmemserver.User
	server *imapserver.Server
	addr   string
}

const returnsUser, returnsPassword = "films", "sample"

// startReturns listens on a free port of the loopback interface.
func startReturns() (*Returns, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, fmt.Errorf("stand-in mailbox: %w", err)
	}
	r := &Returns{addr: l.Addr().String(), user: imapmemserver.NewUser(returnsUser, returnsPassword)}
	if err := r.user.Create("INBOX", nil); err != nil {
		return nil, errors.Join(err, l.Close())
	}
	users := imapmemserver.New()
	users.AddUser(r.user)
	r.server = imapserver.New(&imapserver.Options{
		NewSession: func(*imapserver.Conn) (imapserver.Session, *imapserver.GreetingData, error) {
			return users.NewSession(), nil, nil
		},
		InsecureAuth: true, // it is on this machine, and everybody knows the password
	})
	go func() {
		if err := r.server.Serve(l); err != nil && !errors.Is(err, net.ErrClosed) {
			slog.Error("stand-in mailbox", "error", err)
		}
	}()
	return r, nil
}

// URL is where mail that came back is read.
func (r *Returns) URL() string {
	return "imap://" + returnsUser + ":" + returnsPassword + "@" + r.addr + "/INBOX"
}

// Put adds a mail to the mailbox.
func (r *Returns) Put(mail []byte) error {
	_, err := r.user.Append("INBOX", literal{bytes.NewReader(mail)}, &imap.AppendOptions{Time: time.Now()})
	return err
}

// literal is bytes as an IMAP server takes them.
type literal struct{ *bytes.Reader }

// Size implements imap.LiteralReader.
func (l literal) Size() int64 { return l.Reader.Size() }

// returns is the notification that a mail to somebody could not be delivered, as
// RFC 3464 has it.
func returns(to, id string) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "From: Mail Delivery <postmaster@saltmere.example>\r\nTo: "+
		"films@studio.example\r\nSubject: Not delivered\r\nMIME-Version: 1.0\r\n"+
		"Content-Type: multipart/report; report-type=delivery-status; boundary=\"part\"\r\n\r\n"+
		"--part\r\nContent-Type: text/plain\r\n\r\nYour mail could not be delivered.\r\n"+
		"--part\r\nContent-Type: message/delivery-status\r\n\r\nReporting-MTA: dns; saltmere.example\r\n\r\n"+
		"Final-Recipient: rfc822; %s\r\nAction: failed\r\nStatus: 5.1.6\r\nDiagnostic-Code: smtp; 550 "+
		"5.1.6 %s has moved and left no address\r\n"+
		"--part\r\nContent-Type: text/rfc822-headers\r\n\r\nMessage-ID: %s\r\nTo: %s\r\n--part--\r\n", to, to,
		id, to)
	return b.Bytes()
}
